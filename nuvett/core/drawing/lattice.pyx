# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Pixels through a table, and planes to codes, in one pass each.

Compiled by Cython (`./run` does it): a general package takes floating point out and a second pass for the noise. The
functions themselves are C (`lattice.h`).
"""

import numpy as np

cdef extern from *:
    """
    #include "nuvett/core/drawing/lattice.h"
    """
    ctypedef struct nv_table:
        const int *bases
        const float *fractions
        const float *knots
        const float *lattice
        int ends
        int side
    ctypedef void (*nv_row)(
        const nv_table *of, const void *const *from_, void *const *out, const float *noise, int left, long count
    ) noexcept nogil
    const nv_row NV_ROWS[4][3]
    const nv_row nv_rounded_codes
    const nv_row nv_rounded_deep
    void nv_draw(
        nv_row row, const nv_table *of, const void *const *from_, void *const *out, const long *steps,
        const float *noise, const int *at, long rows, long count
    ) noexcept nogil

_KINDS = {"B": 0, "H": 1, "f": 2}  # by the character of their type, which is known at once
_PLANES = 2  # where they go out; one more where they come in


cdef object _laid_out(object array, bint planes, const void **begins, long *step):
    """Where the rows of an array begin, of pixels (H, W, 3) or each of planes (3, H, W), and how far apart they lie."""
    steps, size = array.strides, array.itemsize
    if array.ndim != 3 or array.shape[0 if planes else 2] != 3 or array.dtype.char not in _KINDS:
        raise ValueError("pixels (H, W, 3) or planes (3, H, W) are needed")
    across = 2 if planes else 1
    apart = array.shape[across] > 1 and steps[across] != (size if planes else 3 * size)
    if apart or (not planes and steps[2] != size):
        raise ValueError("pixels of a row lie side by side")
    cdef int p
    cdef size_t at = array.ctypes.data
    for p in range(3):
        begins[p] = <const void *>(at + (<size_t>steps[0] * p if planes else 0))
    step[0] = steps[1] if planes else steps[0]
    return array.shape[1:] if planes else array.shape[:2]


def drawn(
    object source, bint planes_in, const int[:, ::1] bases, const float[::1] fractions, const float[:, ::1] knots,
    const float[:, ::1] lattice, int side, const float[:, :, ::1] noise, tuple at, object out, bint planes_out,
):
    cdef const void *first[3]
    cdef const void *last[3]
    cdef long steps[2]
    cdef int place[2]
    cdef nv_table of
    size = _laid_out(source, planes_in, first, &steps[0])
    if _laid_out(out, planes_out, last, &steps[1]) != size:
        raise ValueError("what comes in and goes out are of one size")
    if lattice.shape[0] != side ** 3 or lattice.shape[1] != 4 or bases.shape[1] != 256 or knots.shape[1] != 2:
        raise ValueError("the table is not laid out as it should be")
    cdef int kind = 3 if planes_in else _KINDS[source.dtype.char]
    cdef nv_row row = NV_ROWS[kind][_PLANES if planes_out else _KINDS[out.dtype.char]]
    cdef long rows = size[0], count = size[1]
    place[0], place[1] = at
    of.bases, of.fractions, of.knots, of.lattice = &bases[0, 0], &fractions[0], &knots[0, 0], &lattice[0, 0]
    of.ends, of.side = <int>knots.shape[0], side
    with nogil:
        nv_draw(row, &of, first, <void *const *>last, steps, &noise[0, 0, 0], place, rows, count)


def rounded(object planes, const float[:, :, ::1] noise, tuple at, object out):
    cdef const void *first[3]
    cdef const void *last[3]
    cdef long steps[2]
    cdef int place[2]
    size = _laid_out(planes, True, first, &steps[0])
    if planes.dtype != np.float32 or _laid_out(out, False, last, &steps[1]) != size:
        raise ValueError("planes of floating point and codes of one size are needed")
    cdef nv_row row = nv_rounded_deep if out.dtype == np.uint16 else nv_rounded_codes
    cdef long rows = size[0], count = size[1]
    place[0], place[1] = at
    with nogil:
        nv_draw(row, NULL, first, <void *const *>last, steps, &noise[0, 0, 0], place, rows, count)
