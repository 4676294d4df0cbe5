# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Values between those of a table, along one axis.

Compiled by Cython (`./run` does it): array packages fetch what lies on either side of each value as arrays of their
own, which takes several times longer than the arithmetic.
"""

import numpy as np

cdef enum:
    _AT_ONCE = 512  # places that are worked on together, while they lie in the processor's cache


def along(const float[:, ::1] table, const float[:] at):
    cdef int last = <int>table.shape[0] - 2, columns = <int>table.shape[1], count, k, c
    cdef Py_ssize_t block, start
    cdef float place, near, one = 1, none = 0, rows = table.shape[0] - 1
    cdef int first[_AT_ONCE]
    cdef float share[_AT_ONCE]
    cdef const float *values = &table[0, 0]
    cdef const float *below = &table[1, 0]
    cdef float *laid
    found = np.empty((columns, at.shape[0]), dtype=np.float32)
    cdef float[:, ::1] out = found
    with nogil:
        for block in range((at.shape[0] + _AT_ONCE - 1) // _AT_ONCE):
            start = block * _AT_ONCE
            count = <int>min(at.shape[0] - start, _AT_ONCE)
            for k in range(count):
                place = at[start + k]
                place = place if place > none else none
                place = (place if place < one else one) * rows
                first[k] = min(<int>place, last)
                share[k] = place - first[k]
                first[k] = first[k] * columns
            for c in range(columns):
                laid = &out[c, start]
                for k in range(count):
                    near = values[first[k] + c]
                    laid[k] = near + share[k] * (below[first[k] + c] - near)
    return found
