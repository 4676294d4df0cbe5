/* Pixels of any kind through a table by tetrahedral interpolation, and planes of colours to codes, row by row.

   A code of eight bits is known by its place in the lattice, with the shaper in it; other values are looked up. Of the
   six tetrahedra of a cell (Sakamoto and Itooka, US patent 4,275,413, 1981) the one that holds a colour is told by which
   of its three fractions are larger. The four corners are weighed as one vector, which every compiler's own vectors do
   and loops over three channels do not. */
#ifndef NUVETT_DRAWING_LATTICE_H
#define NUVETT_DRAWING_LATTICE_H

#include "nuvett/core/lanes.h"
#include "nuvett/core/spatial/soft.h"
#ifdef __SSE4_1__
#include <immintrin.h>
#endif

typedef float nv_four __attribute__((vector_size(16)));
typedef int nv_wholes __attribute__((vector_size(16)));
typedef unsigned char nv_bytes __attribute__((vector_size(4)));
typedef unsigned short nv_words __attribute__((vector_size(8)));

#define NV_SOME 64 /* values at once */

/* bases, fractions : of codes of eight bits (3, 256), (256); knots : (ends, 2) place among the points of the table for
   even steps of a value from 0 to 1, and how much further the next step is; lattice : (side^3, 4) */
typedef struct {
    const int *bases;
    const float *fractions, *knots, *lattice;
    int ends, side;
} nv_table;

typedef void (*nv_row)(const nv_table *of, const void *const *in, void *const *out, const float *noise, int left, long count);

enum { NV_CODES, NV_DEEP, NV_COLOURS, NV_IN_PLANES };

NV_INLINE nv_four nv_at(const float *from) {
    nv_four found;
    memcpy(&found, from, sizeof found);
    return found;
}

NV_INLINE nv_four nv_between(nv_four x) {
    const nv_four none = {0, 0, 0, 0}, all = {1, 1, 1, 1};
    const nv_wholes above = x > none;
    x = (nv_four)((nv_wholes)x & above);
    const nv_wholes below = x < all;
    return (nv_four)(((nv_wholes)x & below) | ((nv_wholes)all & ~below));
}

/* Colours laid out for the lattice: where their four corners lie in it, and how much of each. */
typedef struct {
    int first[NV_SOME], second[NV_SOME], third[NV_SOME], last[NV_SOME];
    float weights[4][NV_SOME];
} nv_placed;

/* Corners and weights of some colours by their cells and their fractions of these. */
NV_INLINE void nv_sorted(const nv_table *of, const int *cells, float fractions[3][NV_SOME], nv_placed *placed) {
    const int red = 4 * of->side * of->side, green = 4 * of->side, all = red + green + 4;
    const nv_i by_red = (nv_i){0} + red, by_green = (nv_i){0} + green, by_blue = (nv_i){0} + 4;
    for (int k = 0; k < NV_SOME; k += NV_WIDE) {
        const nv_v r = nv_load(fractions[0] + k), g = nv_load(fractions[1] + k), b = nv_load(fractions[2] + k);
        const nv_i rg = r >= g, gb = g >= b, rb = r >= b;
        const nv_v larger = nv_more(r, g), smaller = nv_less(r, g);
        const nv_v high = nv_more(larger, b), middle = nv_more(nv_less(larger, b), smaller), low = nv_less(smaller, b);
        nv_i first;
        memcpy(&first, cells + k, sizeof first);
        first *= 4;
        const nv_i most = (rg & ((rb & by_red) | (~rb & by_blue))) | (~rg & ((gb & by_green) | (~gb & by_blue)));
        const nv_i least = (rg & ((gb & by_blue) | (~gb & by_green))) | (~rg & ((rb & by_blue) | (~rb & by_red)));
        const nv_i second = first + most, last = first + all, third = last - least;
        memcpy(placed->first + k, &first, sizeof first);
        memcpy(placed->second + k, &second, sizeof second);
        memcpy(placed->third + k, &third, sizeof third);
        memcpy(placed->last + k, &last, sizeof last);
        nv_store(placed->weights[0] + k, 1 - high);
        nv_store(placed->weights[1] + k, high - middle);
        nv_store(placed->weights[2] + k, middle - low);
        nv_store(placed->weights[3] + k, low);
    }
}

NV_INLINE nv_four nv_weighed(const nv_table *of, const nv_placed *placed, int k) {
    const float *lattice = of->lattice;
    return nv_at(lattice + placed->first[k]) * placed->weights[0][k]
        + nv_at(lattice + placed->second[k]) * placed->weights[1][k]
        + nv_at(lattice + placed->third[k]) * placed->weights[2][k]
        + nv_at(lattice + placed->last[k]) * placed->weights[3][k];
}

/* noise : (64, 4) of the row, within half a code of a half; a table's colours lie within 0 to 1 */
NV_INLINE nv_wholes nv_dithered(nv_four made, const float *noise, long at) {
    return __builtin_convertvector(made * 255.0f + nv_at(noise + 4 * (at & 63)), nv_wholes);
}

NV_INLINE void nv_write(int kind, void *const *out, long i, nv_four made, const float *noise, int left) {
    if (kind == NV_CODES) {
        const nv_bytes codes = __builtin_convertvector(nv_dithered(made, noise, left + i), nv_bytes);
        memcpy((unsigned char *)out[0] + 3 * i, &codes, 3);
    } else if (kind == NV_DEEP) {
        made = made * 65535.0f + 0.5f;
        const nv_words codes = __builtin_convertvector(__builtin_convertvector(made, nv_wholes), nv_words);
        memcpy((unsigned short *)out[0] + 3 * i, &codes, 6);
    } else {
        for (int p = 0; p < 3; p++) ((float *)out[p])[i] = made[p];
    }
}

/* Four pixels at once. */
NV_INLINE void nv_write_four(
    int kind, void *const *out, long i, nv_four a, nv_four b, nv_four c, nv_four d, const float *noise, int left
) {
#ifdef __SSE4_1__
    if (kind == NV_CODES) {
        const __m128i one = _mm_packus_epi32(
            (__m128i)nv_dithered(a, noise, left + i), (__m128i)nv_dithered(b, noise, left + i + 1));
        const __m128i other = _mm_packus_epi32(
            (__m128i)nv_dithered(c, noise, left + i + 2), (__m128i)nv_dithered(d, noise, left + i + 3));
        const __m128i order = _mm_setr_epi8(0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14, -1, -1, -1, -1);
        const __m128i codes = _mm_shuffle_epi8(_mm_packus_epi16(one, other), order);
        memcpy((unsigned char *)out[0] + 3 * i, &codes, 12);
        return;
    }
    if (kind == NV_IN_PLANES) {
        const __m128 low = _mm_unpacklo_ps((__m128)a, (__m128)b), high = _mm_unpacklo_ps((__m128)c, (__m128)d);
        _mm_storeu_ps((float *)out[0] + i, _mm_movelh_ps(low, high));
        _mm_storeu_ps((float *)out[1] + i, _mm_movehl_ps(high, low));
        _mm_storeu_ps((float *)out[2] + i, _mm_movelh_ps(_mm_unpackhi_ps((__m128)a, (__m128)b),
                                                         _mm_unpackhi_ps((__m128)c, (__m128)d)));
        return;
    }
#endif
    nv_write(kind, out, i, a, noise, left);
    nv_write(kind, out, i + 1, b, noise, left);
    nv_write(kind, out, i + 2, c, noise, left);
    nv_write(kind, out, i + 3, d, noise, left);
}

/* What is made of each of so many pixels, four by four and then one by one. */
#define NV_WRITTEN(to, first, count, made) \
    long i = 0; \
    for (; i + 3 < count; i += 4) \
        nv_write_four(to, out, first + i, made(i), made(i + 1), made(i + 2), made(i + 3), noise, left); \
    for (; i < count; i++) nv_write(to, out, first + i, made(i), noise, left);

NV_INLINE nv_i nv_at_most(nv_i x, int most) {
    const nv_i below = x < most;
    return (x & below) | (most & ~below);
}

/* Cells of values and how far in them these lie, as many as NV_SOME, so that all go through the same instructions. */
NV_INLINE void nv_place(const nv_table *of, float values[3][NV_SOME], int *cells, float fractions[3][NV_SOME]) {
    const int last = of->ends - 2, inner = of->side - 2;
    const float steps = of->ends - 1, *knots = of->knots;
    for (int k = 0; k < NV_SOME; k += NV_WIDE) {
        nv_i corner = {0, 0, 0, 0, 0, 0, 0, 0};
        for (int p = 0; p < 3; p++) {
            const nv_v at = nv_held(nv_load(values[p] + k)) * steps;
            const nv_i whole = nv_whole(at), knot = nv_at_most(whole, last);
            const nv_v place = nv_from(knots, 2 * knot) + (at - nv_float(knot)) * nv_from(knots + 1, 2 * knot);
            const nv_i inside = nv_whole(place), cell = nv_at_most(inside, inner);
            nv_store(fractions[p] + k, place - nv_float(cell));
            corner = corner * of->side + cell;
        }
        memcpy(cells + k, &corner, sizeof corner);
    }
}

NV_INLINE void nv_values(int kind, const void *const *in, long start, int some, float values[3][NV_SOME]) {
    if (some < NV_SOME) memset(values, 0, 3 * NV_SOME * sizeof(float));
    if (kind == NV_IN_PLANES) {
        for (int p = 0; p < 3; p++) memcpy(values[p], (const float *)in[p] + start, some * sizeof(float));
    } else if (kind == NV_DEEP) {
        const unsigned short *from = (const unsigned short *)in[0] + 3 * start;
        for (int p = 0; p < 3; p++) for (int k = 0; k < some; k++) values[p][k] = from[3 * k + p] * (1 / 65535.0f);
    } else {
        const float *from = (const float *)in[0] + 3 * start;
        for (int p = 0; p < 3; p++) for (int k = 0; k < some; k++) values[p][k] = from[3 * k + p];
    }
}

/* As `nv_place`, of codes of eight bits. */
NV_INLINE void nv_place_codes(
    const nv_table *of, const unsigned char *p, int some, int *cells, float fractions[3][NV_SOME]
) {
    const int *bases = of->bases;
    const float *shares = of->fractions;
    for (int k = 0; k < some; k++, p += 3) {
        cells[k] = bases[p[0]] + bases[256 + p[1]] + bases[512 + p[2]];
        fractions[0][k] = shares[p[0]], fractions[1][k] = shares[p[1]], fractions[2][k] = shares[p[2]];
        __asm__ volatile(""); /* one by one: looking up by vectors is several times slower */
    }
    for (int k = some; k < NV_SOME; k++) cells[k] = 0, fractions[0][k] = fractions[1][k] = fractions[2][k] = 0;
}

#define NV_OF_PLACED(k) nv_weighed(of, &placed, k)
#define NV_DRAW(name, from, to) \
    NV_BLOCK name(const nv_table *of, const void *const *in, void *const *out, const float *noise, int left, long count) { \
        float values[3][NV_SOME], at[3][NV_SOME]; \
        int cells[NV_SOME]; \
        nv_placed placed; \
        for (long start = 0; start < count; start += NV_SOME) { \
            const int some = count - start < NV_SOME ? (int)(count - start) : NV_SOME; \
            if (from == NV_CODES) { \
                nv_place_codes(of, (const unsigned char *)in[0] + 3 * start, some, cells, at); \
            } else { \
                nv_values(from, in, start, some, values); \
                nv_place(of, values, cells, at); \
            } \
            nv_sorted(of, cells, at, &placed); \
            NV_WRITTEN(to, start, some, NV_OF_PLACED) \
        } \
    }

NV_DRAW(nv_codes_to_codes, NV_CODES, NV_CODES)
NV_DRAW(nv_codes_to_deep, NV_CODES, NV_DEEP)
NV_DRAW(nv_codes_to_planes, NV_CODES, NV_IN_PLANES)
NV_DRAW(nv_deep_to_codes, NV_DEEP, NV_CODES)
NV_DRAW(nv_deep_to_deep, NV_DEEP, NV_DEEP)
NV_DRAW(nv_deep_to_planes, NV_DEEP, NV_IN_PLANES)
NV_DRAW(nv_colours_to_codes, NV_COLOURS, NV_CODES)
NV_DRAW(nv_colours_to_deep, NV_COLOURS, NV_DEEP)
NV_DRAW(nv_colours_to_planes, NV_COLOURS, NV_IN_PLANES)
NV_DRAW(nv_planes_to_codes, NV_IN_PLANES, NV_CODES)
NV_DRAW(nv_planes_to_deep, NV_IN_PLANES, NV_DEEP)
NV_DRAW(nv_planes_to_planes, NV_IN_PLANES, NV_IN_PLANES)

/* Four pixels from four values of each plane. */
NV_INLINE void nv_across_planes(nv_four r, nv_four g, nv_four b, nv_four *pixels) {
#ifdef __SSE4_1__
    const __m128 none = _mm_setzero_ps();
    const __m128 low = _mm_unpacklo_ps((__m128)r, (__m128)g), high = _mm_unpackhi_ps((__m128)r, (__m128)g);
    const __m128 blue_low = _mm_unpacklo_ps((__m128)b, none), blue_high = _mm_unpackhi_ps((__m128)b, none);
    pixels[0] = (nv_four)_mm_movelh_ps(low, blue_low);
    pixels[1] = (nv_four)_mm_movehl_ps(blue_low, low);
    pixels[2] = (nv_four)_mm_movelh_ps(high, blue_high);
    pixels[3] = (nv_four)_mm_movehl_ps(blue_high, high);
#else
    for (int p = 0; p < 4; p++) pixels[p] = (nv_four){r[p], g[p], b[p], 0};
#endif
}

/* What is drawn already, to codes. */
#define NV_OF_PLANES(i) nv_between((nv_four){r[i], g[i], b[i], 0})
#define NV_ROUND(name, to) \
    NV_BLOCK name(const nv_table *of, const void *const *in, void *const *out, const float *noise, int left, long count) { \
        const float *r = (const float *)in[0], *g = (const float *)in[1], *b = (const float *)in[2]; \
        long i = 0; \
        for (; i + 3 < count; i += 4) { \
            nv_four four[4]; \
            nv_across_planes(nv_between(nv_at(r + i)), nv_between(nv_at(g + i)), nv_between(nv_at(b + i)), four); \
            nv_write_four(to, out, i, four[0], four[1], four[2], four[3], noise, left); \
        } \
        for (; i < count; i++) nv_write(to, out, i, NV_OF_PLANES(i), noise, left); \
    }

NV_ROUND(nv_rounded_codes, NV_CODES)
NV_ROUND(nv_rounded_deep, NV_DEEP)

static const nv_row NV_ROWS[4][3] = {
    {nv_codes_to_codes, nv_codes_to_deep, nv_codes_to_planes},
    {nv_deep_to_codes, nv_deep_to_deep, nv_deep_to_planes},
    {nv_colours_to_codes, nv_colours_to_deep, nv_colours_to_planes},
    {nv_planes_to_codes, nv_planes_to_deep, nv_planes_to_planes},
};

static const nv_row NV_ROUNDED[3] = {nv_rounded_codes, nv_rounded_deep, 0};

/* How rows are drawn: straight, or where soft colour is torn by way of planes, which planes that come in are. */
typedef struct {
    nv_row straight, to_planes, rounded;
    long in, out; /* bytes of a pixel, or of a value of planes */
} nv_ways;

static void nv_draw_mended(
    const nv_ways *ways, const nv_table *of, const nv_torn *torn, long y, const void *const *in, void *const *out,
    const float *noise, int left, long count
) {
    float planes[3][NV_TORN], laid[3][NV_TORN];
    float *const made[3] = {planes[0], planes[1], planes[2]};
    const float *const given[6] = {planes[0], planes[1], planes[2], laid[0], laid[1], laid[2]};
    memset(planes, 0, sizeof planes);
    for (long start = 0; start < count; start += NV_TORN) {
        const int some = count - start < NV_TORN ? (int)(count - start) : NV_TORN;
        const void *from[3];
        for (int p = 0; p < 3; p++) from[p] = (const char *)in[p] + start * ways->in;
        void *to[3] = {(char *)out[0] + start * ways->out};
        const int at = (int)((left + start) & 63);
        if (!nv_torn_at(torn, y, start, some, laid)) {
            ways->straight(of, from, to, noise, at, some);
            continue;
        }
        if (ways->to_planes) ways->to_planes(of, from, (void *const *)made, noise, at, some);
        else for (int p = 0; p < 3; p++) memcpy(planes[p], from[p], some * sizeof(float));
        nv_draw_in(given, made, torn->amount, NV_TORN);
        ways->rounded(of, (const void *const *)made, to, noise, at, some);
    }
}

/* Rows of pixels, or of planes, that lie some bytes apart. steps : from row to row, of what comes in and goes out; torn :
   none where nothing is, or where planes go out */
static void nv_draw(
    const nv_ways *ways, const nv_table *of, const nv_torn *torn, const void *const *in, void *const *out,
    const long *steps, const float *noise, const int *at, long rows, long count
) {
    for (long y = 0; y < rows; y++) {
        const void *from[3];
        void *to[3];
        for (int p = 0; p < 3; p++) {
            from[p] = (const char *)in[p] + y * steps[0];
            to[p] = (char *)out[p] + y * steps[1];
        }
        const float *grain = noise + 256 * ((at[1] + y) & 63);
        if (torn) nv_draw_mended(ways, of, torn, y, from, to, grain, at[0] & 63, count);
        else ways->straight(of, from, to, grain, at[0] & 63, count);
    }
}
#endif
