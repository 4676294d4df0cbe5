/* Luminance of encoded colours in planes, and planes of three laid out. */
#ifndef NUVETT_SPATIAL_LIGHT_H
#define NUVETT_SPATIAL_LIGHT_H

#include "nuvett/core/lanes.h"

/* IEC 61966-2-1, as `guided.LUMINANCE` */
#define NV_LUMINANCE(r, g, b) (0.2126f * (r) + 0.7152f * (g) + 0.0722f * (b))
#define NV_OF_THREE const nv_v r = nv_load(in[0] + k), g = nv_load(in[1] + k), b = nv_load(in[2] + k)

NV_INLINE void nv_lay(float *const *out, int k, nv_v r, nv_v g, nv_v b) {
    nv_store(out[0] + k, r);
    nv_store(out[1] + k, g);
    nv_store(out[2] + k, b);
}

#endif
