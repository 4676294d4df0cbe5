# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""What a finish looks at: luminance and its edges, small maps enlarged, cells, the guided filter of noise reduction.

Compiled by Cython (`./run` does it): numpy needs a dozen passes over memory for the same. Nothing here looks beyond
the block but `edges`, and no sum depends on where a block begins, so that every part of a frame agrees.
"""

from libc.math cimport sqrtf

import numpy as np

cdef extern from *:
    """
    #include "nuvett/core/spatial/cells.h"
    """
    enum:
        NV_KINDS
    void nv_cell_row(
        const float *const *own, const float *const *made, long width, int cell, int left, double *sums, long apart
    ) noexcept nogil

cdef float RED = 0.2126, GREEN = 0.7152, BLUE = 0.0722  # IEC 61966-2-1, as `guided.LUMINANCE`


cdef inline float _held(float value) noexcept nogil:
    cdef float none = 0, one = 1
    value = value if value > none else none
    return value if value < one else one


def luminance(const float[:, :, ::1] planes, float[:, ::1] out):
    cdef Py_ssize_t i, count = out.shape[0] * out.shape[1]
    cdef const float *r = &planes[0, 0, 0]
    cdef const float *g = &planes[1, 0, 0]
    cdef const float *b = &planes[2, 0, 0]
    cdef float *light = &out[0, 0]
    with nogil:
        for i in range(count):
            light[i] = RED * r[i] + GREEN * g[i] + BLUE * b[i]


def across(const float[:, ::1] rows, const int[:, ::1] at, const float[:, ::1] shares, float[:, ::1] out):
    cdef Py_ssize_t y, x, width = out.shape[1]
    cdef const float *row
    cdef float *to
    cdef const int *a
    cdef const int *b
    cdef const int *c
    cdef const int *d
    cdef const float *p
    cdef const float *q
    cdef const float *r
    cdef const float *s
    cdef bint four = at.shape[0] == 4
    with nogil:
        a, b, p, q = &at[0, 0], &at[1, 0], &shares[0, 0], &shares[1, 0]
        if four:
            c, d, r, s = &at[2, 0], &at[3, 0], &shares[2, 0], &shares[3, 0]
        for y in range(out.shape[0]):
            row, to = &rows[y, 0], &out[y, 0]
            if four:
                for x in range(width):
                    to[x] = p[x] * row[a[x]] + q[x] * row[b[x]] + r[x] * row[c[x]] + s[x] * row[d[x]]
            else:
                for x in range(width):
                    to[x] = p[x] * row[a[x]] + q[x] * row[b[x]]


def down(
    const float[:, :, ::1] rows, const int[:, ::1] at, const float[:, ::1] shares, Py_ssize_t first,
    float[:, :, ::1] out,
):
    cdef Py_ssize_t plane, y, x, k, width = out.shape[2]
    cdef const float *a
    cdef const float *b
    cdef const float *c
    cdef const float *d
    cdef float *to
    cdef float p, q, r, s
    cdef bint four = at.shape[0] == 4
    with nogil:
        for plane in range(out.shape[0]):
            for y in range(out.shape[1]):
                k, to = first + y, &out[plane, y, 0]
                a, b, p, q = &rows[plane, at[0, k], 0], &rows[plane, at[1, k], 0], shares[0, k], shares[1, k]
                if four:
                    c, d, r, s = &rows[plane, at[2, k], 0], &rows[plane, at[3, k], 0], shares[2, k], shares[3, k]
                    for x in range(width):
                        to[x] = p * a[x] + q * b[x] + r * c[x] + s * d[x]
                else:
                    for x in range(width):
                        to[x] = p * a[x] + q * b[x]


def edges(const float[:, ::1] blurred, Py_ssize_t first, float spared, float steep, float[:, ::1] out):
    cdef Py_ssize_t y, x, end, left, right, above, below, height = blurred.shape[0], width = blurred.shape[1]
    cdef const float *a
    cdef const float *m
    cdef const float *b
    cdef float *to
    with nogil:
        for y in range(out.shape[0]):
            above, below = first + y - 1, first + y + 1
            above = above if above >= 0 else (1 if height > 1 else 0)
            below = below if below < height else (height - 2 if height > 1 else 0)
            a, m, b, to = &blurred[above, 0], &blurred[first + y, 0], &blurred[below, 0], &out[y, 0]
            for x in range(1, width - 1):
                to[x] = _edge(
                    a[x - 1], a[x], a[x + 1], m[x - 1], m[x + 1], b[x - 1], b[x], b[x + 1], steep, spared
                )
            for end in range(2):
                x = end * (width - 1)
                left = x - 1 if x > 0 else (1 if width > 1 else 0)
                right = x + 1 if x < width - 1 else (width - 2 if width > 1 else 0)
                to[x] = _edge(a[left], a[x], a[right], m[left], m[right], b[left], b[x], b[right], steep, spared)


cdef inline float _edge(
    float al, float am, float ar, float ml, float mr, float bl, float bm, float br, float steep, float spared
) noexcept nogil:
    """A share from a gradient by Sobel's kernels, a quarter of them, through a smooth step."""
    cdef float quarter = 0.25, one = 1, two = 2, three = 3
    cdef float across = quarter * ((ar - al) + two * (mr - ml) + (br - bl))
    cdef float along = quarter * ((bl - al) + two * (bm - am) + (br - ar))
    cdef float s = _held(sqrtf(across * across + along * along) * steep)
    return one - spared + spared * s * s * (three - two * s)


cdef inline Py_ssize_t _reflected(Py_ssize_t at, Py_ssize_t count) noexcept nogil:
    """A place beyond an end counted back from it, the end itself twice."""
    while at < 0 or at >= count:
        at = -1 - at if at < 0 else 2 * count - 1 - at
    return at


cdef void _box(const double *sums, float *line, Py_ssize_t width, int radius, float share, float *out) noexcept nogil:
    """Sums (width,) of 2 radius + 1 neighbours, times a share: from sums of 1, 2, 4 ... of them, each made of the last.

    line : (width + 2 radius) to work in
    """
    cdef Py_ssize_t x, long = width + 2 * radius, offset = 0
    cdef int bit = 1, left = 2 * radius + 1
    for x in range(width):
        line[radius + x] = <float>sums[x] * share
        out[x] = 0
    for x in range(radius):
        line[radius - 1 - x] = line[radius + _reflected(x, width)]
        line[radius + width + x] = line[radius + _reflected(width + x, width)]
    while True:
        if left & 1:
            for x in range(width):
                out[x] += line[offset + x]
            offset += bit
        left >>= 1
        if left == 0:
            break
        for x in range(long - bit):
            line[x] = line[x] + line[x + bit]
        long -= bit
        bit <<= 1


cdef inline void _along(double *sums, const float *more, const float *less, Py_ssize_t width) noexcept nogil:
    cdef Py_ssize_t x
    for x in range(width):
        sums[x] += <double>more[x] - <double>less[x]


cdef inline void _along_products(
    double *sums, const float *more, const float *by, const float *less, const float *with_, Py_ssize_t width
) noexcept nogil:
    cdef Py_ssize_t x
    for x in range(width):
        sums[x] += <double>(more[x] * by[x]) - <double>(less[x] * with_[x])


cdef inline void _line(
    const float *guide, const float *square, const float *value, const float *product, float epsilon, float *slope,
    float *offset, Py_ssize_t width
) noexcept nogil:
    cdef Py_ssize_t x
    for x in range(width):
        slope[x] = (product[x] - guide[x] * value[x]) / (square[x] - guide[x] * guide[x] + epsilon)
        offset[x] = value[x] - slope[x] * guide[x]


cdef void _sum_rows(
    const float[:, ::1] guide, const float[:, :, ::1] values, double[:, ::1] sums, Py_ssize_t more, Py_ssize_t less,
    const float *none
) noexcept nogil:
    """One row more in the sums, and one less, or none."""
    cdef Py_ssize_t k, width = guide.shape[1]
    cdef const float *a = &guide[more, 0]
    cdef const float *b = none if less < 0 else &guide[less, 0]
    cdef const float *c
    cdef const float *d
    _along(&sums[0, 0], a, b, width)
    _along_products(&sums[1, 0], a, a, b, b, width)
    for k in range(values.shape[0]):
        c, d = &values[k, more, 0], none if less < 0 else &values[k, less, 0]
        _along(&sums[2 + 2 * k, 0], c, d, width)
        _along_products(&sums[3 + 2 * k, 0], c, a, d, b, width)


def guided_lines(
    const float[:, ::1] guide, const float[:, :, ::1] values, int radius, float epsilon, float[:, :, ::1] lines
):
    cdef Py_ssize_t height = guide.shape[0], width = guide.shape[1], ring = min(height, 2 * radius + 2)
    cdef Py_ssize_t count = lines.shape[0], firsts = 2 + 2 * values.shape[0], y, k, at, before, of
    cdef double[:, ::1] sums = np.zeros((firsts + count, width))
    cdef float[:, :, ::1] kept = np.empty((count, ring, width), dtype=np.float32)
    cdef float[:, ::1] rows = np.empty((firsts, width), dtype=np.float32)
    cdef float[:, ::1] work = np.zeros((2, width + 2 * radius), dtype=np.float32)
    cdef float *line = &work[0, 0]
    cdef const float *none = &work[1, 0]
    cdef float share = (<float>1 / (2 * radius + 1)) ** 2
    # Sums run over rows and are doubles, so that they are the same wherever a part begins.
    with nogil:
        for y in range(-radius - 1, radius):
            _sum_rows(guide, values, sums, _reflected(y, height), -1, none)
        for y in range(height + radius):
            if y < height:
                at, before = _reflected(y + radius, height), _reflected(y - radius - 1, height)
                _sum_rows(guide, values, sums, at, before, none)
                for k in range(firsts):
                    _box(&sums[k, 0], line, width, radius, share, &rows[k, 0])
                at = y % ring
                for k in range(0, count, 2):
                    of = 2 + k if firsts > 2 else 0
                    _line(
                        &rows[0, 0], &rows[1, 0], &rows[of, 0], &rows[of + 1, 0], epsilon, &kept[k, at, 0],
                        &kept[k + 1, at, 0], width,
                    )
            if y < radius:
                continue
            if y == radius:
                for at in range(-radius - 1, radius):
                    for k in range(count):
                        _along(&sums[firsts + k, 0], &kept[k, _reflected(at, height) % ring, 0], none, width)
            at, before = _reflected(y, height) % ring, _reflected(y - 2 * radius - 1, height) % ring
            for k in range(count):
                _along(&sums[firsts + k, 0], &kept[k, at, 0], &kept[k, before, 0], width)
                _box(&sums[firsts + k, 0], line, width, radius, share, &lines[k, y - radius, 0])


def less_noise_of_light(
    const float[:, :, ::1] encoded, const float[:, ::1] light, const float[:, :, ::1] lines, float[:, :, ::1] out
):
    cdef Py_ssize_t i, count = light.shape[0] * light.shape[1]
    cdef const float *source = &encoded[0, 0, 0]
    cdef float *to = &out[0, 0, 0]
    cdef const float *own = &light[0, 0]
    cdef const float *slope = &lines[0, 0, 0]
    cdef const float *offset = &lines[1, 0, 0]
    cdef float more
    with nogil:
        for i in range(count):
            more = slope[i] * own[i] + offset[i] - own[i]
            to[3 * i] = source[3 * i] + more
            to[3 * i + 1] = source[3 * i + 1] + more
            to[3 * i + 2] = source[3 * i + 2] + more


def off_light(const float[:, :, ::1] encoded, float[:, ::1] light, float[:, :, ::1] off):
    cdef Py_ssize_t i, count = light.shape[0] * light.shape[1]
    cdef const float *source = &encoded[0, 0, 0]
    cdef float *own = &light[0, 0]
    cdef float *red = &off[0, 0, 0]
    cdef float *blue = &off[1, 0, 0]
    with nogil:
        for i in range(count):
            own[i] = RED * source[3 * i] + GREEN * source[3 * i + 1] + BLUE * source[3 * i + 2]
            red[i] = source[3 * i] - own[i]
            blue[i] = source[3 * i + 2] - own[i]


def less_noise_of_colour(
    const float[:, :, ::1] encoded, const float[:, :, ::1] lines, float amount, float[:, :, ::1] out
):
    cdef Py_ssize_t i, count = out.shape[0] * out.shape[1]
    cdef const float *source = &encoded[0, 0, 0]
    cdef const float *us = &lines[0, 0, 0]
    cdef const float *uo = &lines[1, 0, 0]
    cdef const float *vs = &lines[2, 0, 0]
    cdef const float *vo = &lines[3, 0, 0]
    cdef float *to = &out[0, 0, 0]
    cdef float light, r, b, green = 1 / GREEN
    with nogil:
        for i in range(count):
            light = RED * source[3 * i] + GREEN * source[3 * i + 1] + BLUE * source[3 * i + 2]
            r = source[3 * i] - light
            b = source[3 * i + 2] - light
            r = light + r + amount * (us[i] * light + uo[i] - r)
            b = light + b + amount * (vs[i] * light + vo[i] - b)
            to[3 * i] = r
            to[3 * i + 1] = (light - RED * r - BLUE * b) * green
            to[3 * i + 2] = b


def cell_sums(
    const float[:, :, ::1] own, const float[:, :, ::1] made, int cell, tuple at, double[:, :, ::1] sums
):
    cdef int left = at[0], p
    cdef Py_ssize_t y, top = at[1], height = own.shape[1], width = own.shape[2]
    cdef const float *a[3]
    cdef const float *b[3]
    if own.shape[0] != 3 or made.shape[0] != 3 or made.shape[1] != height or made.shape[2] != width:
        raise ValueError("planes of one size are needed")
    if sums.shape[0] != NV_KINDS or sums.shape[1] < top + height or sums.shape[2] * cell < left + width:
        raise ValueError("sums for all cells are needed")
    with nogil:
        for y in range(height):
            for p in range(3):
                a[p], b[p] = &own[p, y, 0], &made[p, y, 0]
            nv_cell_row(
                a, b, <long>width, cell, left, &sums[0, top + y, 0], <long>(sums.shape[1] * sums.shape[2])
            )
