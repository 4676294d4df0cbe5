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


def merged(double[:, ::1] centres, double[::1] shares, double power, int count, int fixed):
    cdef Py_ssize_t most = centres.shape[0], i, j, k, first = 0, second = 0, left = most
    cdef double gap, least, total, inf = np.inf
    cdef double[::1] weight = np.empty(most)
    cdef double[:, ::1] cost = np.full((most, most), np.inf)
    cdef unsigned char[::1] here = np.ones(most, dtype=np.uint8)
    with nogil:
        for i in range(most):
            weight[i] = shares[i] ** power
        for i in range(most):
            for j in range(max(i + 1, fixed), most):
                cost[i, j] = _cost(&centres[i, 0], &centres[j, 0], weight[i], weight[j])
        while left > count and left > fixed:
            least = inf
            for i in range(most):
                for j in range(i + 1, most):
                    if here[i] and here[j] and cost[i, j] < least:
                        least, first, second = cost[i, j], i, j
            total = shares[first] + shares[second]
            if first >= fixed:
                for k in range(3):
                    gap = centres[first, k] * shares[first] + centres[second, k] * shares[second]
                    centres[first, k] = gap / total
            shares[first], weight[first], here[second] = total, total**power, 0
            left -= 1
            for j in range(fixed if first < fixed else 0, most):
                if j != first and here[j]:
                    gap = _cost(&centres[first, 0], &centres[j, 0], weight[first], weight[j])
                    cost[min(first, j), max(first, j)] = gap
    return np.asarray(here).astype(bool)


cdef inline double _cost(const double *a, const double *b, double own, double other) noexcept nogil:
    """What merging two clusters of a weight each costs."""
    cdef double x = a[0] - b[0], y = a[1] - b[1], z = a[2] - b[2]
    return own * other / (own + other) * (x * x + y * y + z * z)
