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
    ctypedef struct nv_picture:
        int kind
        const char *at[3]
        long step
    void nv_cell_row(
        const nv_picture *own, const nv_picture *made, long row, long width, int cell, int left, double *sums,
        long apart
    ) noexcept nogil

_KINDS = {"B": 0, "H": 1, "f": 2}  # by the character of their type, which is known at once


cdef object _picture(object array, bint planes, nv_picture *of):
    """Where an array lies, of pixels (h, w, 3) or planes (3, h, w); its height and width."""
    steps, size = array.strides, array.itemsize
    if array.ndim != 3 or array.shape[0 if planes else 2] != 3 or array.dtype.char not in _KINDS or (
        steps[2] != size or (planes and array.dtype.char != "f") or (not planes and steps[1] != 3 * size)
    ):
        raise ValueError("pixels of a row side by side, or planes of floating point, are needed")
    cdef size_t at = array.ctypes.data
    cdef int p
    for p in range(3):
        of.at[p] = <const char *>(at + (<size_t>steps[0] * p if planes else 0))
    of.kind = 3 if planes else _KINDS[array.dtype.char]
    of.step = steps[1] if planes else steps[0]
    return array.shape[1:] if planes else array.shape[:2]


def cell_sums(
    object own, bint in_planes, object made, int cell, tuple at, double[:, :, ::1] sums
):
    cdef nv_picture of_own, of_made
    cdef int left = at[0]
    cdef long top = at[1], row, apart = <long>(sums.shape[1] * sums.shape[2])
    size = _picture(own, in_planes, &of_own)
    if _picture(made, True, &of_made) != size:
        raise ValueError("pictures of one size are needed")
    cdef long height = size[0], width = size[1]
    if sums.shape[0] != NV_KINDS or sums.shape[1] < top + height or sums.shape[2] * cell < left + width:
        raise ValueError("sums for all cells are needed")
    with nogil:
        for row in range(height):
            nv_cell_row(&of_own, &of_made, row, width, cell, left, &sums[0, top + row, 0], apart)


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
