/* Gains on linear light, block by block. */
#ifndef NUVETT_EVEN_LANES_H
#define NUVETT_EVEN_LANES_H

#include "nuvett/core/lanes.h"

NV_INLINE nv_v nv_rolled(nv_v value, nv_v gain) {
    const nv_v size = nv_less(nv_size(value), nv_all(1)), above = nv_more(gain, nv_all(1));
    return value * gain * nv_inverse_cube_root(1.0f + (above * above * above - 1.0f) * (size * size * size));
}

/* curve: slope, shoulder, white */
NV_INLINE nv_v nv_in_camera(nv_v value, nv_v gain, const float *curve) {
    const nv_v raised = nv_power(gain, curve[0]);
    const nv_v y = nv_held(value) / nv_where(raised > 1.0f, nv_all(1), nv_all(curve[2]));
    const nv_v bend = 1.0f + (nv_power(raised, curve[1]) - 1.0f) * nv_power(y, curve[1]);
    return value * raised * nv_power(bend, -1.0f / curve[1]);
}

/* how: gains of red, green, blue and of white; from and to which least channel a colour comes to be clipped white,
   which takes one gain in all channels, so that it stays neutral; share of the camera's curve; its slope, shoulder
   and white */
NV_BLOCK nv_gained(const float *const *in, float *const *out, const float *how) {
    const float from = how[4], wide = 1.0f / (how[5] - how[4]), camera = how[6];
    const float curve[3] = {how[7], how[8], how[9]};
    NV_EACH(k) {
        const nv_v light[3] = {nv_load(in[0] + k), nv_load(in[1] + k), nv_load(in[2] + k)};
        const nv_v white = nv_stepped((nv_less(nv_less(light[0], light[1]), light[2]) - from) * wide);
        for (int p = 0; p < 3; p++) {
            const nv_v gain = how[p] * (1.0f - white) + how[3] * white;
            nv_v made = nv_rolled(light[p], gain);
            if (camera != 0.0f) made += camera * (nv_in_camera(light[p], gain, curve) - made);
            nv_store(out[p] + k, made);
        }
    }
}

#endif
