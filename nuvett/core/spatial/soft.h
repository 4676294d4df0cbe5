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

/* A row of two pictures' planes added to sums of columns, lines (NV_KINDS, NV_LANES). */
NV_BLOCK nv_down_cells(const float *const *own, const float *const *made, float *lines) {
    NV_EACH(k) {
        nv_v r = nv_load(own[0] + k), g = nv_load(own[1] + k), b = nv_load(own[2] + k);
        const nv_v light = NV_LUMINANCE(r, g, b), red = r - light, blue = b - light;
        r = nv_load(made[0] + k), g = nv_load(made[1] + k), b = nv_load(made[2] + k);
        const nv_v light_made = NV_LUMINANCE(r, g, b), red_made = r - light_made, blue_made = b - light_made;
        const nv_v found[NV_KINDS] = {
            red, blue, red * red + blue * blue, red_made, blue_made, red_made * red_made + blue_made * blue_made,
            light, light * light,
        };
        for (int kind = 0; kind < NV_KINDS; kind++) {
            float *line = lines + kind * NV_LANES + k;
            nv_store(line, nv_load(line) + found[kind]);
        }
    }
}

/* One row of cells, of planes (3, rows, width) that begin `left` pixels into the first: added to sums (NV_KINDS, columns)
   that lie `apart` values apart. steps : values from row to row, of the frame's own planes and of those made */
static void nv_cell_row(
    const float *const *own, const float *const *made, const long *steps, int rows, long width, int cell, int left,
    double *sums, long apart
) {
    float lines[NV_KINDS * NV_LANES], filled[6][NV_LANES];
    for (long start = 0; start < width; start += NV_LANES) {
        const long count = width - start < NV_LANES ? width - start : NV_LANES;
        memset(lines, 0, sizeof lines);
        for (int y = 0; y < rows; y++) {
            const float *from[6];
            for (int p = 0; p < 6; p++) {
                from[p] = (p < 3 ? own[p] + y * steps[0] : made[p - 3] + y * steps[1]) + start;
                if (count == NV_LANES) continue;
                memset(filled[p], 0, sizeof filled[p]);
                memcpy(filled[p], from[p], count * sizeof(float));
                from[p] = filled[p];
            }
            nv_down_cells(from, from + 3, lines);
        }
        long into = (left + start) % cell;
        double *to = sums + (left + start) / cell;
        for (long x = 0; x < count; x++, into++) {
            if (into == cell) into = 0, to++;
            for (int kind = 0; kind < NV_KINDS; kind++) to[kind * apart] += lines[kind * NV_LANES + x];
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
