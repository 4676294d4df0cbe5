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
    #include "nuvett/core/fit/simple.h"
    #include "nuvett/core/measure/lanes.h"
    #include "nuvett/core/spatial/lanes.h"
    """
    enum:
        NV_LANES
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
    void nv_ranged(const float *const *, float *const *, const float *) noexcept nogil
    void nv_washed(const float *const *, float *const *, const float *) noexcept nogil
    void nv_curved(const float *const *, float *const *, const float *) noexcept nogil
    void nv_cast(const float *const *, float *const *, const float *) noexcept nogil
    void nv_saturated(const float *const *, float *const *, const float *) noexcept nogil
    void nv_greyed(const float *const *, float *const *, const float *) noexcept nogil
    void nv_detailed(const float *const *, float *const *, const float *) noexcept nogil
    void nv_screened(const float *const *, float *const *, const float *) noexcept nogil
    void nv_mixed(const float *const *, float *const *, const float *) noexcept nogil
    void nv_grained(const float *const *, float *const *, const float *) noexcept nogil
    void nv_sharpened(const float *const *, float *const *, const float *) noexcept nogil
    void nv_hazed(const float *const *, float *const *, const float *) noexcept nogil
    void nv_drawn_in(const float *const *, float *const *, const float *) noexcept nogil
    void nv_scaled_by_base(const float *const *, float *const *, const float *) noexcept nogil
    void nv_shaded(const float *const *, float *const *, const float *) noexcept nogil
    void nv_shift(
        const float *a, const float *b, const float *weight, const float *least, long count, int times, float narrow,
        float *middle
    ) noexcept nogil
    void nv_zone(
        const float *lightness, const float *a, const float *b, const float *counts, long count, const float *middle,
        const float *how, double *sums
    ) noexcept nogil
    void nv_broad(
        const float *lightness, const float *const *values, const float *counts, long count, float zone, float narrow,
        double *sums
    ) noexcept nogil


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


def ranged(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_ranged, lab, None, how)


def washed(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_washed, lab, None, how)


def curved(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_curved, lab, None, how)


def cast(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_cast, lab, None, how)


def saturated(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_saturated, lab, None, how)


def greyed(const float[:, ::1] lab, const float[::1] how):
    return _through(nv_greyed, lab, None, how)


def held(const float[:, ::1] before, const float[:, ::1] after, const float[::1] how):
    return _through(nv_hold, before, after, how)


cdef void _in_place(nv_block work, float[:, :, ::1] planes, tuple beside, const float[::1] how) except *:
    """Planes (3, h, w) changed, by others (h, w) beside them."""
    cdef const float *before[6]
    cdef float *out[3]
    cdef int p, lists = <int>len(beside)
    cdef const float[:, ::1] other
    cdef long count = <long>(planes.shape[1] * planes.shape[2])
    if planes.shape[0] != 3 or lists > 3:
        raise ValueError("planes of three channels are needed, and three others at most")
    if count == 0:
        return
    for p in range(3):
        before[p] = out[p] = &planes[p, 0, 0]
    for p in range(lists):
        other = beside[p]
        if other.shape[0] != planes.shape[1] or other.shape[1] != planes.shape[2]:
            raise ValueError("planes of one size are needed")
        before[3 + p] = &other[0, 0]
    with nogil:
        nv_over(work, before, 3 + lists, out, count, &how[0])


def detailed(planes, slope, offset, how):
    _in_place(nv_detailed, planes, (slope, offset), how)


def screened(planes, red, green, blue, how):
    _in_place(nv_screened, planes, (red, green, blue), how)


def mixed(planes, red, green, blue, how):
    _in_place(nv_mixed, planes, (red, green, blue), how)


def drawn_in(planes, share, red, blue, how):
    _in_place(nv_drawn_in, planes, (share, red, blue), how)


def grained(planes, noise, how):
    _in_place(nv_grained, planes, (noise,), how)


def sharpened(planes, blurred, mask, how):
    _in_place(nv_sharpened, planes, (blurred, mask), how)


def hazed(planes, slope, offset, how):
    _in_place(nv_hazed, planes, (slope, offset), how)


def scaled_by_base(planes, base, how):
    _in_place(nv_scaled_by_base, planes, (base,), how)


def shaded(planes, x, y, how):
    _in_place(nv_shaded, planes, (x, y), how)


cdef object _filled_up(const float[::1] values):
    """A list with noughts up to whole blocks."""
    made = np.zeros((values.shape[0] + NV_LANES - 1) // NV_LANES * NV_LANES, dtype=np.float32)
    made[: values.shape[0]] = values
    return made


def shifted(
    const float[::1] a, const float[::1] b, const float[:, ::1] weights, const float[:, ::1] middles, int times,
    float narrow, float least,
):
    cdef int zone
    cdef Py_ssize_t k
    cdef const float[::1] x = _filled_up(a), y = _filled_up(b)
    if b.shape[0] != a.shape[0] or weights.shape[1] != a.shape[0] or middles.shape[0] != weights.shape[0]:
        raise ValueError("weights are needed for each colour, and a middle for each row of them")
    found = np.array(middles)
    cdef float[:, ::1] middle = found
    cdef float[::1] weight = np.zeros(x.shape[0], dtype=np.float32), floor = np.zeros(x.shape[0], dtype=np.float32)
    floor[: a.shape[0]] = least
    for zone in range(weights.shape[0]):
        weight[: a.shape[0]] = weights[zone]
        with nogil:
            nv_shift(&x[0], &y[0], &weight[0], &floor[0], x.shape[0], times, narrow, &middle[zone, 0])
    return found


def zone_sums(const float[:, ::1] lab, const float[::1] zones, const float[:, ::1] middles, const float[::1] how):
    cdef int zone
    cdef float own[5]
    if lab.shape[0] != 3 or middles.shape[0] != zones.shape[0] or how.shape[0] != 4:
        raise ValueError("planes of three channels are needed, and a middle for each zone")
    cdef const float[::1] x = _filled_up(lab[0]), a = _filled_up(lab[1]), b = _filled_up(lab[2])
    cdef const float[::1] counts = _filled_up(np.ones(lab.shape[1], dtype=np.float32))
    found = np.zeros((zones.shape[0], 8))
    cdef double[:, ::1] sums = found
    if lab.shape[1] == 0:
        return found
    own[1], own[2], own[3], own[4] = how[0], how[1], how[2], how[3]
    with nogil:
        for zone in range(zones.shape[0]):
            own[0] = zones[zone]
            nv_zone(&x[0], &a[0], &b[0], &counts[0], x.shape[0], &middles[zone, 0], own, &sums[zone, 0])
    return found


def broad_sums(const float[::1] lightness, const float[:, ::1] values, const float[::1] zones, float narrow):
    cdef int zone
    cdef const float *three[3]
    if values.shape[0] != 3 or values.shape[1] != lightness.shape[0]:
        raise ValueError("planes of three channels are needed, of one length")
    cdef const float[::1] x = _filled_up(lightness), counts = _filled_up(np.ones(len(lightness), dtype=np.float32))
    cdef const float[::1] first = _filled_up(values[0]), second = _filled_up(values[1]), third = _filled_up(values[2])
    found = np.zeros((zones.shape[0], 3))
    cdef double[:, ::1] sums = found
    if lightness.shape[0] == 0:
        return found
    three[0], three[1], three[2] = &first[0], &second[0], &third[0]
    with nogil:
        for zone in range(zones.shape[0]):
            nv_broad(&x[0], three, &counts[0], x.shape[0], zones[zone], narrow, &sums[zone, 0])
    return found
