/* A run of sixteen pixels through the cubic kernel, eight lanes at a time. */
#ifndef NUVETT_DRAWING_CUBIC_H
#define NUVETT_DRAWING_CUBIC_H

#include "nuvett/core/lanes.h"

#define NV_RUN 16  /* pixels of a run */
#define NV_LOOK 24 /* columns that it looks at */

/* Weights (4, count) of four samples at places first + k step, 0 to 1, counted from the second sample. */
NV_INLINE void nv_weights(float first, float step, int count, float *w) {
    const nv_v along = {0, 1, 2, 3, 4, 5, 6, 7};
    for (int k = 0; k < count; k += NV_WIDE) {
        const nv_v t = first + step * (along + (float)k), s = 1.0f - t, both = s * t;
        const nv_v w0 = -0.75f * both * s, w3 = -0.75f * both * t, w1 = (1.25f * t - 2.25f) * t * t + 1.0f;
        nv_store(w + k, w0);
        nv_store(w + count + k, w1);
        nv_store(w + 2 * count + k, 1.0f - w0 - w1 - w3);
        nv_store(w + 3 * count + k, w3);
    }
}

/* Weights (6, count) of six samples at places first + k step, 0 to 3, counted from the second sample. */
NV_INLINE void nv_wide_weights(float first, float step, int count, float *w) {
    const nv_v along = {0, 1, 2, 3, 4, 5, 6, 7}, none = nv_all(0), one = nv_all(1);
    for (int k = 0; k < count; k += NV_WIDE) {
        const nv_v x = first + step * (along + (float)k);
        const nv_i once = x >= 1.0f, twice = x >= 2.0f;
        const nv_v t = x - nv_where(once, one, none) - nv_where(twice, one, none), s = 1.0f - t, both = s * t;
        const nv_v a = -0.75f * both * s, d = -0.75f * both * t, b = (1.25f * t - 2.25f) * t * t + 1.0f;
        const nv_v c = 1.0f - a - b - d;
        /* Moved on by one sample, and by one more, where the place lies that much further. */
        const nv_v w0 = nv_where(once, none, a), w1 = nv_where(once, a, b), w2 = nv_where(once, b, c);
        const nv_v w3 = nv_where(once, c, d), w4 = nv_where(once, d, none);
        nv_store(w + k, nv_where(twice, none, w0));
        nv_store(w + count + k, nv_where(twice, w0, w1));
        nv_store(w + 2 * count + k, nv_where(twice, w1, w2));
        nv_store(w + 3 * count + k, nv_where(twice, w2, w3));
        nv_store(w + 4 * count + k, nv_where(twice, w3, w4));
        nv_store(w + 5 * count + k, nv_where(twice, w4, none));
    }
}

/* Eight samples. Compilers take bytes apart by way of shorter vectors, which costs more than the rest of the work. */
NV_INLINE nv_v nv_bytes_at(const unsigned char *from) {
#ifdef __AVX2__
    return (nv_v)_mm256_cvtepi32_ps(_mm256_cvtepu8_epi32(_mm_loadl_epi64((const __m128i *)from)));
#else
    return (nv_v){from[0], from[1], from[2], from[3], from[4], from[5], from[6], from[7]};
#endif
}

NV_INLINE nv_v nv_words_at(const unsigned short *from) {
#ifdef __AVX2__
    return (nv_v)_mm256_cvtepi32_ps(_mm256_cvtepu16_epi32(_mm_loadu_si128((const __m128i *)from)));
#else
    return (nv_v){from[0], from[1], from[2], from[3], from[4], from[5], from[6], from[7]};
#endif
}

#define NV_ALONG(x, y, by) __builtin_shufflevector(x, y, by, by + 1, by + 2, by + 3, by + 4, by + 5, by + 6, by + 7)
#define NV_COLUMN(by) \
    one += nv_load(across + by * NV_RUN) * NV_ALONG(v[0], v[1], by); \
    other += nv_load(across + by * NV_RUN + NV_WIDE) * NV_ALONG(v[1], v[2], by);

/* Sixteen values, from samples on in a plane of a width, by weights (4 or 6, 16) of columns and (4 or 6, 24) of rows. */
#define NV_RUN_OF(name, sample, eight) \
    NV_INLINE void name( \
        const sample *p, long width, const float *across, int columns, const float *down, int rows, float *out \
    ) { \
        nv_v v[3]; \
        for (int k = 0; k < 3; k++) { \
            const sample *from = p + NV_WIDE * k; \
            const float *w = down + NV_WIDE * k; \
            v[k] = nv_load(w) * eight(from) + nv_load(w + NV_LOOK) * eight(from + width) \
                + nv_load(w + 2 * NV_LOOK) * eight(from + 2 * width) + nv_load(w + 3 * NV_LOOK) * eight(from + 3 * width); \
            if (rows == 6) v[k] += nv_load(w + 4 * NV_LOOK) * eight(from + 4 * width) \
                + nv_load(w + 5 * NV_LOOK) * eight(from + 5 * width); \
        } \
        nv_v one = nv_load(across) * v[0], other = nv_load(across + NV_WIDE) * v[1]; \
        NV_COLUMN(1) NV_COLUMN(2) NV_COLUMN(3) \
        if (columns == 6) { NV_COLUMN(4) NV_COLUMN(5) } \
        nv_store(out, one); \
        nv_store(out + NV_WIDE, other); \
    }

NV_RUN_OF(nv_run_of_bytes, unsigned char, nv_bytes_at)
NV_RUN_OF(nv_run_of_words, unsigned short, nv_words_at)
NV_RUN_OF(nv_run_of_floats, float, nv_load)

/* kind : bytes of a sample */
NV_INLINE void nv_draw_run(
    int kind, const void *from, long width, const float *across, int columns, const float *down, int rows, float *out
) {
    if (kind == 1) nv_run_of_bytes((const unsigned char *)from, width, across, columns, down, rows, out);
    else if (kind == 2) nv_run_of_words((const unsigned short *)from, width, across, columns, down, rows, out);
    else nv_run_of_floats((const float *)from, width, across, columns, down, rows, out);
}

/* Of a run: factors on linear light, and those to the curve's power, of the first pixel and from each to the next. The
   curve: toe, whether it begins straight, code of white, codes of a stop above white (0 for none). */
typedef struct {
    float near[2], step[2];
    float toe, straight, white, stop;
} nv_given;

/* Light given back to encoded values: an offset power curve's, or its straight part's, whichever is less; what passes
   white goes on by stops. */
NV_INLINE nv_v nv_brightened(const nv_given *by, nv_v value, nv_v light, nv_v powered) {
    const nv_v e = value * (1 / by->white), bent = (e + by->toe) * powered - by->toe;
    nv_v made = (by->straight > 0 ? nv_less(e * light, bent) : bent) * by->white;
    if (by->stop > 0) {
        const nv_v share = (made * (1 / by->white) + by->toe) * (1 / (1 + by->toe));
        const nv_v came = by->white + by->stop * 2.4f * nv_log2(share), goes_on = value + by->stop * nv_log2(light);
        made = nv_where(made > by->white, nv_where(e > 1.0f, goes_on, came), made);
    }
    return nv_less(made, nv_all(1));
}

/* The values (3, 16) of a run within 0 to 1 and in their light, those from one pixel to another laid into planes. */
NV_INLINE void nv_lay_run(
    const float *values, float scale, const nv_given *by, int lit, int begin, int end, float *red, float *green, float *blue
) {
    const nv_v along = {0, 1, 2, 3, 4, 5, 6, 7};
    float *const planes[3] = {red, green, blue};
    for (int k = 0; k < NV_RUN; k += NV_WIDE) {
        const nv_v at = along + (float)k;
        const nv_v light = by->near[0] + by->step[0] * at, powered = by->near[1] + by->step[1] * at;
        for (int p = 0; p < 3; p++) {
            nv_v made = nv_held(nv_load(values + NV_RUN * p + k) * scale);
            if (lit) made = nv_brightened(by, made, light, powered);
            if (begin == 0 && end == NV_RUN) nv_store(planes[p] + k, made);
            else for (int at_one = 0; at_one < NV_WIDE; at_one++)
                if (k + at_one >= begin && k + at_one < end) planes[p][k + at_one] = made[at_one];
        }
    }
}
#endif
