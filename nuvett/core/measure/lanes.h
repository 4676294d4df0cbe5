/* Sums over colours by zones of lightness. Lists are filled up to whole blocks with colours that count nothing. */
#ifndef NUVETT_MEASURE_LANES_H
#define NUVETT_MEASURE_LANES_H

#include "nuvett/core/lanes.h"

#define NV_SUMS 8

NV_INLINE float nv_total(nv_v x) { return ((x[0] + x[4]) + (x[2] + x[6])) + ((x[1] + x[5]) + (x[3] + x[7])); }

/* exp(-squares * narrow); what is nothing beside any sum stays a number that is quick to work with. */
NV_INLINE nv_v nv_bell(nv_v squares, float narrow) {
    return nv_exp2(nv_more(squares * (narrow * -1.44269504f), nv_all(-60)));
}

/* One chromaticity moved to the middle of those about it, some times over (mean shift). least : weight that each that
   counts has at least; narrow : one over twice the squared width */
NV_BLOCK nv_shift(
    const float *a, const float *b, const float *weight, const float *least, long count, int times, float narrow,
    float *middle
) {
    for (int time = 0; time < times; time++) {
        nv_v sum = nv_all(0), sum_a = nv_all(0), sum_b = nv_all(0);
        for (long k = 0; k < count; k += NV_WIDE) {
            const nv_v x = nv_load(a + k), y = nv_load(b + k), dx = x - middle[0], dy = y - middle[1];
            const nv_v near = nv_bell(dx * dx + dy * dy, narrow);
            const nv_v pull = nv_load(weight + k) * near + nv_load(least + k);
            sum += pull, sum_a += pull * x, sum_b += pull * y;
        }
        middle[0] = nv_total(sum_a) / nv_total(sum), middle[1] = nv_total(sum_b) / nv_total(sum);
    }
}

/* Sums of a zone: its narrow weights; those times nearness to its middle, with that of a and b; the broad ones; those
   times nearness likewise. counts : 1 for what counts, else 0
   how: lightness of the zone, one over twice the squared widths of narrow, broad and nearness, the least nearness */
NV_BLOCK nv_zone(
    const float *lightness, const float *a, const float *b, const float *counts, long count, const float *middle,
    const float *how, double *sums
) {
    for (int s = 0; s < NV_SUMS; s++) sums[s] = 0;
    for (long start = 0; start < count; start += NV_LANES) {
        nv_v sum[NV_SUMS];
        for (int s = 0; s < NV_SUMS; s++) sum[s] = nv_all(0);
        for (long k = start; k < start + NV_LANES; k += NV_WIDE) {
            const nv_v x = nv_load(a + k), y = nv_load(b + k), here = nv_load(counts + k);
            const nv_v off = nv_load(lightness + k) - how[0], dx = x - middle[0], dy = y - middle[1];
            const nv_v narrow = here * nv_bell(off * off, how[1]);
            const nv_v broad = here * nv_bell(off * off, how[2]);
            const nv_v near = nv_bell(dx * dx + dy * dy, how[3]) + how[4];
            const nv_v inner = narrow * near, outer = broad * near;
            sum[0] += narrow, sum[1] += inner, sum[2] += inner * x, sum[3] += inner * y;
            sum[4] += broad, sum[5] += outer, sum[6] += outer * x, sum[7] += outer * y;
        }
        for (int s = 0; s < NV_SUMS; s++) sums[s] += nv_total(sum[s]);
    }
}

/* Sums of a zone's broad weights times three values. */
NV_BLOCK nv_broad(
    const float *lightness, const float *const *values, const float *counts, long count, float zone, float narrow,
    double *sums
) {
    for (int s = 0; s < 3; s++) sums[s] = 0;
    for (long start = 0; start < count; start += NV_LANES) {
        nv_v sum[3] = {nv_all(0), nv_all(0), nv_all(0)};
        for (long k = start; k < start + NV_LANES; k += NV_WIDE) {
            const nv_v off = nv_load(lightness + k) - zone;
            const nv_v weight = nv_load(counts + k) * nv_bell(off * off, narrow);
            for (int s = 0; s < 3; s++) sum[s] += weight * nv_load(values[s] + k);
        }
        for (int s = 0; s < 3; s++) sums[s] += nv_total(sum[s]);
    }
}

#endif
