# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Light of encoded colours changed in place, plane by plane: by how broad light is about them, and by where they lie.

Compiled by Cython (`./run` does it): numpy needs a dozen passes over memory for the same.
"""

from libc.math cimport fabsf, sqrtf

cdef float RED = 0.2126, GREEN = 0.7152, BLUE = 0.0722  # IEC 61966-2-1, as `guided.LUMINANCE`


cdef inline float _held(float value) noexcept nogil:
    cdef float none = 0, one = 1
    value = value if value > none else none
    return value if value < one else one


cdef inline float _stepped(float value) noexcept nogil:
    """As `smooth.smooth_step`."""
    cdef float s = _held(value), two = 2, three = 3
    return s * s * (three - two * s)


cdef inline float _small_exp(float x) noexcept nogil:
    """exp(x) for |x| of at most 2, within 2e-6 of it: a quarter of it by its series, squared twice."""
    cdef float t = x * <float>0.25, one = 1, a = 0.5, b = 0.166666667, c = 0.0416666667, d = 0.00833333333
    cdef float p = one + t * (one + t * (a + t * (b + t * (c + t * d))))
    p = p * p
    return p * p


def scale_by_base(float[:, ::1] planes, const float[::1] base, const float[::1] curve, float floor):
    cdef Py_ssize_t i, count = planes.shape[1]
    cdef float *r = &planes[0, 0]
    cdef float *g = &planes[1, 0]
    cdef float *b = &planes[2, 0]
    cdef const float *at = &base[0]
    cdef const float *values = &curve[0]
    cdef const float *above = &curve[1]
    cdef int low, last = <int>curve.shape[0] - 2
    cdef float broad, place, share, light, factor, knots = curve.shape[0] - 1, none = 0
    with nogil:
        for i in range(count):
            broad = _held(at[i])
            place = broad * knots
            low = <int>place
            low = low if low < last else last
            share = place - low
            light = RED * r[i] + GREEN * g[i] + BLUE * b[i]
            light = (light if light > none else none) + floor
            factor = (light + values[low] + share * (above[low] - values[low]) - broad) / light
            factor = factor if factor > none else none
            r[i] = (r[i] + floor) * factor - floor
            g[i] = (g[i] + floor) * factor - floor
            b[i] = (b[i] + floor) * factor - floor


def shade(float[:, ::1] planes, const float[::1] x, const float[::1] y, const float[::1] form):
    cdef Py_ssize_t i, count = planes.shape[1]
    cdef float *r = &planes[0, 0]
    cdef float *g = &planes[1, 0]
    cdef float *b = &planes[2, 0]
    cdef const float *across = &x[0]
    cdef const float *down = &y[0]
    cdef float one = 1, two = 2, radius, cornered, u, v, factor, light
    cdef float wide = two / form[0], high = two / form[1], half = two / sqrtf(form[0] * form[0] + form[1] * form[1])
    cdef float begins = form[2], soft = one / form[3], framed = form[4], stops = form[5]
    cdef float low = form[6], beyond = one / (form[7] - form[6]), share = form[8]
    with nogil:
        for i in range(count):
            radius = sqrtf(across[i] * across[i] + down[i] * down[i]) * half
            u, v = fabsf(across[i]) * wide, fabsf(down[i]) * high
            u, v = u * u, v * v
            cornered = sqrtf(sqrtf((u * u + v * v) / two))
            radius = radius + framed * (cornered - radius)
            factor = _small_exp(_stepped((radius - begins) * soft) * stops)
            light = RED * r[i] + GREEN * g[i] + BLUE * b[i]
            factor = factor + (one - factor) * share * _stepped((light - low) * beyond)
            r[i] *= factor
            g[i] *= factor
            b[i] *= factor
