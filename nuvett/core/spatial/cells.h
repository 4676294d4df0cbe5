/* Sums over cells of what colours are off luminance. */
#ifndef NUVETT_SPATIAL_CELLS_H
#define NUVETT_SPATIAL_CELLS_H

#include "nuvett/core/spatial/light.h"

#define NV_KINDS 8 /* of sums: red, blue and squares, of one picture and of the other; luminance and its square */

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

/* A row of two pictures' planes that begins `left` pixels into the first of a row of cells: added to sums (NV_KINDS,
   columns) that lie `apart` values apart. */
static void nv_cell_row(
    const float *const *own, const float *const *made, long width, int cell, int left, double *sums, long apart
) {
    float lines[NV_KINDS * NV_LANES], filled[6][NV_LANES];
    for (long start = 0; start < width; start += NV_LANES) {
        const long count = width - start < NV_LANES ? width - start : NV_LANES;
        const float *from[6];
        for (int p = 0; p < 6; p++) {
            from[p] = (p < 3 ? own[p] : made[p - 3]) + start;
            if (count == NV_LANES) continue;
            memset(filled[p], 0, sizeof filled[p]);
            memcpy(filled[p], from[p], count * sizeof(float));
            from[p] = filled[p];
        }
        nv_for_cells(from, from + 3, lines);
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

#endif
