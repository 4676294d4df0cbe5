/* Fine differences of colour drawn in where soft colour is torn, block by block. */
#ifndef NUVETT_SPATIAL_SOFT_H
#define NUVETT_SPATIAL_SOFT_H

#include "nuvett/core/spatial/light.h"

/* in: colours, share of the way to a mean, and that mean's red and blue off luminance, which stays */
NV_INLINE void nv_draw_in(const float *const *in, float *const *out, float amount, int count) {
    for (int k = 0; k < count; k += NV_WIDE) {
        NV_OF_THREE;
        const nv_v light = NV_LUMINANCE(r, g, b), share = amount * nv_load(in[3] + k);
        const nv_v red = share * (nv_load(in[4] + k) - (r - light)), blue = share * (nv_load(in[5] + k) - (b - light));
        nv_lay(out, k, r + red, g - (0.2126f * red + 0.0722f * blue) * (1.0f / 0.7152f), b + blue);
    }
}

#define NV_TORN 64 /* pixels looked at together: most of a row is drawn straight */

/* Where soft colour is torn: rows (3, count, width) as `nv_draw_in` takes them, enlarged across already; at, shares :
   (2, height) which of them lie about each row of a part, and how much of each; first : row that is drawn first */
typedef struct {
    const float *rows, *shares;
    const int *at;
    long count, width, height, first;
    float amount;
} nv_torn;

/* Pixels of a row between two, at most NV_TORN of them, the rest of which is nothing. Returns whether any is. */
NV_INLINE int nv_laid(const float *a, const float *b, float one, float other, int some, float *out) {
    nv_i any = {0, 0, 0, 0, 0, 0, 0, 0};
    int k = 0;
    for (; k + NV_WIDE <= some; k += NV_WIDE) {
        const nv_v found = one * nv_load(a + k) + other * nv_load(b + k);
        nv_store(out + k, found);
        any |= found != 0;
    }
    for (; k < some; k++) {
        out[k] = one * a[k] + other * b[k];
        any[0] |= out[k] != 0;
    }
    for (; k < NV_TORN; k++) out[k] = 0;
    int is = 0;
    for (int place = 0; place < NV_WIDE; place++) is |= any[place];
    return is;
}

/* What `nv_draw_in` takes for pixels of a row of a part: out (3, NV_TORN). Returns whether anything is torn there. */
NV_INLINE int nv_torn_at(const nv_torn *torn, long y, long start, int some, float out[3][NV_TORN]) {
    const long row = torn->first + y;
    const float one = torn->shares[row], other = torn->shares[torn->height + row];
    for (int p = 0; p < 3; p++) {
        const float *plane = torn->rows + p * torn->count * torn->width + start;
        const float *a = plane + torn->at[row] * torn->width, *b = plane + torn->at[torn->height + row] * torn->width;
        const int any = nv_laid(a, b, one, other, some, out[p]);
        if (p == 0 && !any) return 0;
    }
    return 1;
}

#endif
