# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Fine differences of colour, summed over cells and drawn in.

Compiled by Cython (`./run` does it): numpy needs a dozen passes over memory for the same. The functions themselves are
C (`soft.h`).
"""

cdef extern from *:
    """
    #include "nuvett/core/spatial/soft.h"
    """
    enum:
        NV_KINDS
    void nv_over(
        void (*work)(const float *const *, float *const *, const float *) noexcept nogil, const float *const *planes,
        int lists, float *const *out, long count, const float *how
    ) noexcept nogil
    void nv_drawn_in(const float *const *, float *const *, const float *) noexcept nogil
    void nv_codes_apart(const void *, float *, float *, float *, long) noexcept nogil
    void nv_deep_apart(const void *, float *, float *, float *, long) noexcept nogil
    void nv_colours_apart(const void *, float *, float *, float *, long) noexcept nogil
    void nv_cell_row(
        const float *const *own, const float *const *made, const long *steps, int rows, long width, int cell,
        int left, double *sums, long apart
    ) noexcept nogil


def apart(object pixels, float[:, :, ::1] planes):
    cdef Py_ssize_t y, height = planes.shape[1], width = planes.shape[2]
    if pixels.shape != (height, width, 3) or planes.shape[0] != 3 or pixels.strides[1:] != (
        3 * pixels.itemsize, pixels.itemsize
    ):
        raise ValueError("pixels side by side and planes of one size are needed")
    cdef int kind = {"uint8": 0, "uint16": 1, "float32": 2}[pixels.dtype.name]
    cdef const char *begin = <const char *><size_t>pixels.ctypes.data
    cdef Py_ssize_t step = pixels.strides[0]
    cdef const void *row
    with nogil:
        for y in range(height):
            row = begin + y * step
            if kind == 0:
                nv_codes_apart(row, &planes[0, y, 0], &planes[1, y, 0], &planes[2, y, 0], width)
            elif kind == 1:
                nv_deep_apart(row, &planes[0, y, 0], &planes[1, y, 0], &planes[2, y, 0], width)
            else:
                nv_colours_apart(row, &planes[0, y, 0], &planes[1, y, 0], &planes[2, y, 0], width)


def cell_sums(
    const float[:, :, :] own, const float[:, :, :] made, tuple cell, tuple at, double[:, :, ::1] sums
):
    cdef int across = cell[0], down = cell[1], left = at[0], p
    cdef Py_ssize_t top = at[1], first = 0, last, height = own.shape[1], width = own.shape[2]
    cdef const float *a[3]
    cdef const float *b[3]
    cdef long steps[2]
    if (
        made.shape[1] != height or made.shape[2] != width or made.strides[2] != 4 or own.strides[2] != 4
        or sums.shape[0] != NV_KINDS or sums.shape[1] * down < top + height or sums.shape[2] * across < left + width
    ):
        raise ValueError("planes of one size, and sums for all of their cells, are needed")
    steps[0], steps[1] = <long>(own.strides[1] // 4), <long>(made.strides[1] // 4)
    with nogil:
        while first < height:
            last = min(height, first + down - (top + first) % down)
            for p in range(3):
                a[p], b[p] = &own[p, first, 0], &made[p, first, 0]
            nv_cell_row(
                a, b, steps, <int>(last - first), <long>width, across, left, &sums[0, (top + first) // down, 0],
                <long>(sums.shape[1] * sums.shape[2])
            )
            first = last


def draw_in(const float[:, :, ::1] laid, float[:, :, :] made):
    cdef const float *planes[6]
    cdef float *out[3]
    cdef float none = 0
    cdef int p
    cdef Py_ssize_t height = made.shape[1], width = made.shape[2]
    if laid.shape[0] != 3 or laid.shape[1] != height or laid.shape[2] != width or made.shape[0] != 3 or (
        made.strides[1] != width * 4 or made.strides[2] != 4
    ):
        raise ValueError("planes of one size are needed")
    for p in range(3):
        planes[p], planes[3 + p], out[p] = &made[p, 0, 0], &laid[p, 0, 0], &made[p, 0, 0]
    with nogil:
        nv_over(nv_drawn_in, planes, 6, out, <long>(height * width), &none)
