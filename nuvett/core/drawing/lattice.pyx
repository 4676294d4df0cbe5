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
    ctypedef struct nv_torn:
        const float *rows
        const float *shares
        const int *at
        long count
        long width
        long height
        long first
        float amount
    ctypedef void (*nv_row)(
        const nv_table *of, const void *const *from_, void *const *out, const float *noise, int left, long count
    ) noexcept nogil
    ctypedef struct nv_ways:
        nv_row straight
        nv_row to_planes
        nv_row rounded
        long in_ "in"
        long out
    const nv_row NV_ROWS[4][3]
    const nv_row NV_ROUNDED[3]
    void nv_draw(
        const nv_ways *ways, const nv_table *of, const nv_torn *torn, const void *const *from_, void *const *out,
        const long *steps, const float *noise, const int *at, long rows, long count
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


cdef int _places_of(object torn, long rows, long count, nv_torn *places) except -1:
    """Fill in where soft colour is torn in so many rows of so many pixels. Returns whether it is looked at."""
    if torn is None:
        return 0
    cdef const float[:, :, ::1] across = torn.maps.across
    cdef const int[:, ::1] at = torn.maps.at
    cdef const float[:, ::1] shares = torn.maps.shares
    cdef long first = torn.first
    if across.shape[0] != 3 or across.shape[2] != count or at.shape[0] != 2 or shares.shape[0] != 2:
        raise ValueError("what is torn is not laid out as it should be")
    if at.shape[1] != shares.shape[1] or first < 0 or first + rows > at.shape[1]:
        raise ValueError("what is torn is of another part")
    places.rows, places.at, places.shares, places.amount = &across[0, 0, 0], &at[0, 0], &shares[0, 0], torn.amount
    places.count, places.width, places.height, places.first = across.shape[1], count, at.shape[1], first
    return 1


def drawn(
    object source, bint planes_in, const int[:, ::1] bases, const float[::1] fractions, const float[:, ::1] knots,
    const float[:, ::1] lattice, int side, const float[:, :, ::1] noise, tuple at, object out, bint planes_out,
    object torn=None,
):
    cdef const void *first[3]
    cdef const void *last[3]
    cdef long steps[2]
    cdef int place[2]
    cdef nv_table of
    cdef nv_torn places
    cdef nv_ways ways
    size = _laid_out(source, planes_in, first, &steps[0])
    if _laid_out(out, planes_out, last, &steps[1]) != size:
        raise ValueError("what comes in and goes out are of one size")
    if lattice.shape[0] != side ** 3 or lattice.shape[1] != 4 or bases.shape[1] != 256 or knots.shape[1] != 2:
        raise ValueError("the table is not laid out as it should be")
    if planes_out and torn is not None:
        raise ValueError("soft colour is mended where codes go out")
    cdef int kind = 3 if planes_in else _KINDS[source.dtype.char]
    cdef int to = _PLANES if planes_out else _KINDS[out.dtype.char]
    cdef long rows = size[0], count = size[1]
    place[0], place[1] = at
    of.bases, of.fractions, of.knots, of.lattice = &bases[0, 0], &fractions[0], &knots[0, 0], &lattice[0, 0]
    of.ends, of.side = <int>knots.shape[0], side
    ways.straight, ways.to_planes, ways.rounded = NV_ROWS[kind][to], NV_ROWS[kind][_PLANES], NV_ROUNDED[to]
    ways.in_, ways.out = source.itemsize * (1 if planes_in else 3), 3 * out.itemsize
    cdef const nv_torn *where = &places if _places_of(torn, rows, count, &places) else NULL
    with nogil:
        nv_draw(&ways, &of, where, first, <void *const *>last, steps, &noise[0, 0, 0], place, rows, count)


def rounded(object planes, const float[:, :, ::1] noise, tuple at, object out, object torn=None):
    cdef const void *first[3]
    cdef const void *last[3]
    cdef long steps[2]
    cdef int place[2]
    cdef nv_torn places
    cdef nv_ways ways
    size = _laid_out(planes, True, first, &steps[0])
    if planes.dtype != np.float32 or out.dtype == np.float32 or _laid_out(out, False, last, &steps[1]) != size:
        raise ValueError("planes of floating point and codes of one size are needed")
    cdef long rows = size[0], count = size[1]
    place[0], place[1] = at
    ways.straight = ways.rounded = NV_ROUNDED[_KINDS[out.dtype.char]]
    ways.to_planes, ways.in_, ways.out = NULL, planes.itemsize, 3 * out.itemsize
    cdef const nv_torn *where = &places if _places_of(torn, rows, count, &places) else NULL
    with nogil:
        nv_draw(&ways, NULL, where, first, <void *const *>last, steps, &noise[0, 0, 0], place, rows, count)
