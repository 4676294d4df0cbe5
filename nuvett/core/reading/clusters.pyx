# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Steps of clustering, compiled by Cython (`./run` does it): array packages fill a table of every point by every
centre for the same."""

import numpy as np


def farthest(const float[:, ::1] planes, Py_ssize_t first, int count, float same):
    cdef Py_ssize_t points = planes.shape[1], n, seed = first
    cdef float x, y, z, gap, widest
    cdef int k
    cdef const float *a = &planes[0, 0]
    cdef const float *b = &planes[1, 0]
    cdef const float *c = &planes[2, 0]
    cdef float[::1] gaps = np.full(points, np.inf, dtype=np.float32)
    chosen = [first]
    for k in range(count - 1):
        x, y, z = a[seed], b[seed], c[seed]
        with nogil:
            for n in range(points):
                gap = (a[n] - x) * (a[n] - x) + (b[n] - y) * (b[n] - y) + (c[n] - z) * (c[n] - z)
                gaps[n] = gap if gap < gaps[n] else gaps[n]
            widest = -1
            for n in range(points):
                if gaps[n] > widest:
                    widest, seed = gaps[n], n
        if widest <= same:
            break
        chosen.append(seed)
    return chosen


def gathered(const float[:, ::1] planes, const float[:, ::1] centres):
    cdef Py_ssize_t points = planes.shape[1], count = centres.shape[0], n, k
    cdef float x, y, z, gap
    cdef const float *a = &planes[0, 0]
    cdef const float *b = &planes[1, 0]
    cdef const float *c = &planes[2, 0]
    cdef float[::1] gaps = np.full(points, np.inf, dtype=np.float32)
    cdef int[::1] label = np.zeros(points, dtype=np.int32)
    found, number = np.zeros((count, 3)), np.zeros(count)
    cdef double[:, ::1] sums = found
    cdef double[::1] sizes = number
    with nogil:
        for k in range(count):
            x, y, z = centres[k, 0], centres[k, 1], centres[k, 2]
            for n in range(points):
                gap = (a[n] - x) * (a[n] - x) + (b[n] - y) * (b[n] - y) + (c[n] - z) * (c[n] - z)
                label[n] = <int>k if gap < gaps[n] else label[n]
                gaps[n] = gap if gap < gaps[n] else gaps[n]
        for n in range(points):
            k = label[n]
            sums[k, 0] += a[n]
            sums[k, 1] += b[n]
            sums[k, 2] += c[n]
            sizes[k] += 1
    return found, number
