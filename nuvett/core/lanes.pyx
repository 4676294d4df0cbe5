# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""What is done to colours one by one, each kind in one pass over planes of them.

Compiled by Cython (`./run` does it): array packages go through memory once for each step of the arithmetic. The
functions themselves are C, by rooms (`lanes.h` there).
"""

import numpy as np

cdef extern from *:
    """
    #include "nuvett/core/lanes.h"
    #include "nuvett/core/spaces/lanes.h"
    #include "nuvett/core/even/lanes.h"
    #include "nuvett/core/fit/lanes.h"
    """
    ctypedef void (*nv_block)(const float *const *, float *const *, const float *) noexcept nogil
    void nv_over(
        nv_block work, const float *const *planes, int lists, float *const *out, long count, const float *how
    ) noexcept nogil
    void nv_to_lab(const float *const *, float *const *, const float *) noexcept nogil
    void nv_to_light(const float *const *, float *const *, const float *) noexcept nogil
    void nv_within(const float *const *, float *const *, const float *) noexcept nogil
    void nv_eased(const float *const *, float *const *, const float *) noexcept nogil
    void nv_gained(const float *const *, float *const *, const float *) noexcept nogil
    void nv_by_lightness(const float *const *, float *const *, const float *) noexcept nogil
    void nv_moved(const float *const *, float *const *, const float *) noexcept nogil
    void nv_kept(const float *const *, float *const *, const float *) noexcept nogil
    void nv_hold(const float *const *, float *const *, const float *) noexcept nogil


cdef object _through(nv_block work, const float[:, ::1] first, const float[:, ::1] second, const float[::1] how):
    cdef const float *planes[6]
    cdef float *out[3]
    cdef int p, lists = 1 if second is None else 2
    cdef long count = <long>first.shape[1]
    if first.shape[0] != 3 or (lists == 2 and (second.shape[0] != 3 or second.shape[1] != count)):
        raise ValueError("planes of three channels are needed, of one length")
    made = np.empty((3, count), dtype=np.float32)
    cdef float[:, ::1] laid = made
    if count == 0:
        return made
    for p in range(3):
        planes[p] = &first[p, 0]
        if lists == 2:
            planes[3 + p] = &second[p, 0]
        out[p] = &laid[p, 0]
    with nogil:
        nv_over(work, planes, 3 * lists, out, count, &how[0])
    return made


def to_lab(const float[:, ::1] light, const float[::1] how):
    return _through(nv_to_lab, light, None, how)


def to_light(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_to_light, lab, None, how)


def within(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_within, lab, None, how)


def eased(const float[:, ::1] lab, const float[:, ::1] before, const float[::1] how):
    return _through(nv_eased, lab, before, how)


def gained(const float[:, ::1] light, const float[::1] how):
    return _through(nv_gained, light, None, how)


def by_lightness(const float[:, ::1] lab, const float[:, ::1] came, const float[::1] how):
    return _through(nv_by_lightness, lab, came, how)


def moved(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_moved, lab, None, how)


def kept(const float[:, ::1] before, const float[:, ::1] after, const float[::1] how):
    return _through(nv_kept, before, after, how)


def held(const float[:, ::1] before, const float[:, ::1] after, const float[::1] how):
    return _through(nv_hold, before, after, how)
