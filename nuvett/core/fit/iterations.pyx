# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Iterations compiled by Cython (`./run` does it): hundreds of products too small for one call each."""

import numpy as np


def scaled(double[:, ::1] kernel, const double[::1] rows, const double[::1] columns, int rounds):
    cdef Py_ssize_t height = kernel.shape[0], width = kernel.shape[1], i, j
    cdef double total
    cdef int turn
    cdef double[::1] u = np.empty(height), v = np.ones(width), sums = np.empty(width)
    with nogil:
        for turn in range(rounds + 1):
            if turn:
                for j in range(width):
                    sums[j] = 0
                for i in range(height):
                    for j in range(width):
                        sums[j] += kernel[i, j] * u[i]
                for j in range(width):
                    v[j] = columns[j] / sums[j]
            for i in range(height):
                total = 0
                for j in range(width):
                    total += kernel[i, j] * v[j]
                u[i] = rows[i] / total
        for i in range(height):
            for j in range(width):
                kernel[i, j] *= u[i] * v[j]


def bounded(const double[:, ::1] turn, const double[::1] start, const double[::1] low, const double[::1] high,
            double[::1] values, int rounds):
    cdef Py_ssize_t count = turn.shape[0], i, j
    cdef double from_here
    cdef int round_
    cdef double[::1] dual = np.zeros(count), wanted = np.empty(count)
    with nogil:
        for round_ in range(rounds):
            for j in range(count):
                wanted[j] = start[j] + dual[j]
            for i in range(count):  # by rows of a symmetric matrix, so that nothing is summed in another order
                from_here = values[i] - dual[i]
                for j in range(count):
                    wanted[j] += turn[i, j] * from_here
            for j in range(count):
                values[j] = min(max(wanted[j], low[j]), high[j])
                dual[j] = wanted[j] - values[j]
