/* Sums over cells of what colours are off luminance, and fine differences of colour drawn in. */
#ifndef NUVETT_SPATIAL_SOFT_H
#define NUVETT_SPATIAL_SOFT_H

#include "nuvett/core/spatial/lanes.h"

#define NV_KINDS 8 /* of sums: red, blue and squares, of one picture and of the other; luminance and its square */

/* Pixels side by side to planes. */
#define NV_APART(name, type, scale) \
    NV_BLOCK name(const type *restrict from, float *restrict r, float *restrict g, float *restrict b, long count) { \
        for (long i = 0; i < count; i++) { \
            r[i] = from[3 * i] * (scale); \
            g[i] = from[3 * i + 1] * (scale); \
            b[i] = from[3 * i + 2] * (scale); \
        } \
    }

NV_APART(nv_codes_apart, unsigned char, 1.0f / 255.0f)
NV_APART(nv_deep_apart, unsigned short, 1.0f / 65535.0f)
NV_APART(nv_colours_apart, float, 1.0f)

/* A picture's rows, `step` bytes apart: side by side from `at[0]` on, of one of the kinds above, or three planes. */
enum { NV_SOFT_CODES, NV_SOFT_DEEP, NV_SOFT_COLOURS, NV_SOFT_PLANES };

typedef struct {
    int kind;
    const char *at[3];
    long step;
} nv_picture;

/* Where planes of so many pixels of a row lie, NV_LANES long with nothing after them: in place, or filled. */
static void nv_some_of(
    const nv_picture *of, long row, long start, long count, float (*filled)[NV_LANES], const float **planes
) {
    for (int p = 0; p < 3; p++) {
        const float *line = (const float *)(of->at[p] + row * of->step) + start;
        planes[p] = of->kind == NV_SOFT_PLANES && count == NV_LANES ? line : filled[p];
        if (of->kind == NV_SOFT_PLANES && count < NV_LANES) memcpy(filled[p], line, count * sizeof(float));
        if (count < NV_LANES) memset(filled[p] + count, 0, (NV_LANES - count) * sizeof(float));
    }
    const char *at = of->at[0] + row * of->step;
    if (of->kind == NV_SOFT_CODES)
        nv_codes_apart((const unsigned char *)at + 3 * start, filled[0], filled[1], filled[2], count);
    else if (of->kind == NV_SOFT_DEEP)
        nv_deep_apart((const unsigned short *)at + 3 * start, filled[0], filled[1], filled[2], count);
    else if (of->kind == NV_SOFT_COLOURS)
        nv_colours_apart((const float *)at + 3 * start, filled[0], filled[1], filled[2], count);
}

/* What two pictures' planes come to in each pixel: lines (NV_KINDS, NV_LANES). */
NV_BLOCK nv_for_cells(const float *const *own, const float *const *made, float *lines) {
    NV_EACH(k) {
        nv_v r = nv_load(own[0] + k), g = nv_load(own[1] + k), b = nv_load(own[2] + k);
        const nv_v light = NV_LUMINANCE(r, g, b), red = r - light, blue = b - light;
        r = nv_load(made[0] + k), g = nv_load(made[1] + k), b = nv_load(made[2] + k);
        const nv_v light_made = NV_LUMINANCE(r, g, b), red_made = r - light_made, blue_made = b - light_made;
        const nv_v found[NV_KINDS] = {
            red, blue, red * red + blue * blue, red_made, blue_made, red_made * red_made + blue_made * blue_made,
            light, light * light,
        };
        for (int kind = 0; kind < NV_KINDS; kind++) nv_store(lines + kind * NV_LANES + k, found[kind]);
    }
}

/* A row of two pictures that begins `left` pixels into the first of a row of cells: added to sums (NV_KINDS, columns)
   that lie `apart` values apart. */
static void nv_cell_row(
    const nv_picture *own, const nv_picture *made, long row, long width, int cell, int left, double *sums, long apart
) {
    float lines[NV_KINDS * NV_LANES], filled[2][3][NV_LANES];
    const float *planes[2][3];
    for (long start = 0; start < width; start += NV_LANES) {
        const long count = width - start < NV_LANES ? width - start : NV_LANES;
        nv_some_of(own, row, start, count, filled[0], planes[0]);
        nv_some_of(made, row, start, count, filled[1], planes[1]);
        nv_for_cells(planes[0], planes[1], lines);
        for (int kind = 0; kind < NV_KINDS; kind++) {
            const float *line = lines + kind * NV_LANES;
            double *to = sums + kind * apart + (left + start) / cell;
            long first = 0, last = cell - (left + start) % cell;
            for (; first < count; first = last, last += cell, to++) {
                double sum = 0;
                for (long x = first; x < (last < count ? last : count); x++) sum += line[x];
                *to += sum;
            }
        }
    }
}

/* in: colours, share of the way to a mean, and that mean's red and blue off luminance, which stays */
NV_BLOCK nv_drawn_in(const float *const *in, float *const *out, const float *how) {
    (void)how;
    NV_EACH(k) {
        NV_OF_THREE;
        const nv_v light = NV_LUMINANCE(r, g, b), share = nv_load(in[3] + k);
        const nv_v red = share * (nv_load(in[4] + k) - (r - light)), blue = share * (nv_load(in[5] + k) - (b - light));
        nv_lay(out, k, r + red, g - (0.2126f * red + 0.0722f * blue) * (1.0f / 0.7152f), b + blue);
    }
}

#endif
