/* What a finish does to encoded colours, plane by plane, block by block. */
#ifndef NUVETT_SPATIAL_LANES_H
#define NUVETT_SPATIAL_LANES_H

#include "nuvett/core/spatial/soft.h"

/* in: colours, slope, offset; how: gain, minus one over a large step squared, in octaves */
NV_BLOCK nv_detailed(const float *const *in, float *const *out, const float *how) {
    const float gain = how[0], narrow = how[1];
    NV_EACH(k) {
        NV_OF_THREE;
        const nv_v light = NV_LUMINANCE(r, g, b), detail = light - (nv_load(in[3] + k) * light + nv_load(in[4] + k));
        const nv_v added = gain * detail * nv_exp2(narrow * detail * detail);
        nv_lay(out, k, r + added, g + added, b + added);
    }
}

/* in: colours, light laid over each; how: shares of it */
NV_BLOCK nv_screened(const float *const *in, float *const *out, const float *how) {
    const float shares[3] = {how[0], how[1], how[2]};
    NV_EACH(k) for (int p = 0; p < 3; p++)
        nv_store(out[p] + k, 1.0f - (1.0f - nv_load(in[p] + k)) * (1.0f - shares[p] * nv_held(nv_load(in[3 + p] + k))));
}

/* in: colours, and others; how: share of the way to them */
NV_BLOCK nv_mixed(const float *const *in, float *const *out, const float *how) {
    const float share = how[0];
    NV_EACH(k) for (int p = 0; p < 3; p++) {
        const nv_v own = nv_load(in[p] + k);
        nv_store(out[p] + k, own + share * (nv_load(in[3 + p] + k) - own));
    }
}

/* in: colours, noise; how: gain, more in lights, least */
NV_BLOCK nv_grained(const float *const *in, float *const *out, const float *how) {
    const float gain = how[0], lights = how[1], least = how[2], most = 1.0f - how[2];
    NV_EACH(k) {
        NV_OF_THREE;
        const nv_v light = nv_held(NV_LUMINANCE(r, g, b));
        const nv_v weight = most * nv_root(4.0f * light * (1.0f - light))
            + nv_where(light > 0.002f, nv_all(least), nv_all(0));
        const nv_v added = gain * nv_load(in[3] + k) * weight * (1.0f + lights * (2.0f * light - 1.0f));
        nv_lay(out, k, r + added, g + added, b + added);
    }
}

/* in: colours, blurred luminance, mask; how: gain */
NV_BLOCK nv_sharpened(const float *const *in, float *const *out, const float *how) {
    const float gain = how[0];
    NV_EACH(k) {
        NV_OF_THREE;
        const nv_v added = gain * (NV_LUMINANCE(r, g, b) - nv_load(in[3] + k)) * nv_load(in[4] + k);
        nv_lay(out, k, r + added, g + added, b + added);
    }
}

/* in: colours, slope, offset of the transmission; how: air, share of the veil taken, least transmission, haze added,
   and how much less of it where transmission is whole */
NV_BLOCK nv_hazed(const float *const *in, float *const *out, const float *how) {
    const float air = how[0], taken = how[1], least = how[2], added = how[3], spared = how[4];
    NV_EACH(k) {
        NV_OF_THREE;
        const nv_v clear = nv_held(nv_load(in[3] + k) * NV_LUMINANCE(r, g, b) + nv_load(in[4] + k));
        const nv_v factor = (1.0f + added * (1.0f - spared * clear))
            / nv_more(1.0f - taken * (1.0f - clear), nv_all(least));
        nv_lay(out, k, (r - air) * factor + air, (g - air) * factor + air, (b - air) * factor + air);
    }
}

/* in: colours, broad light about them; how: floor, number of knots, the knots of a curve for 0 to 1 */
NV_BLOCK nv_scaled_by_base(const float *const *in, float *const *out, const float *how) {
    const float floor = how[0], last = how[1] - 2, steps = how[1] - 1;
    NV_EACH(k) {
        NV_OF_THREE;
        const nv_v broad = nv_held(nv_load(in[3] + k)), place = broad * steps;
        const nv_i knot = nv_whole(nv_less(place, nv_all(last)));
        const nv_v low = nv_from(how + 2, knot), moved = low + (place - nv_float(knot)) * (nv_from(how + 3, knot) - low);
        const nv_v light = nv_more(NV_LUMINANCE(r, g, b), nv_all(0)) + floor;
        const nv_v factor = nv_more((light + moved - broad) / light, nv_all(0));
        nv_lay(out, k, (r + floor) * factor - floor, (g + floor) * factor - floor, (b + floor) * factor - floor);
    }
}

/* in: colours, places off the centre; how: width and height, where it begins, over what it becomes whole, how far it
   follows the frame, octaves, light from and up to which colours are left out, and how far */
NV_BLOCK nv_shaded(const float *const *in, float *const *out, const float *how) {
    const float wide = 2 / how[0], high = 2 / how[1], half = 2 / __builtin_sqrtf(how[0] * how[0] + how[1] * how[1]);
    const float begins = how[2], soft = 1 / how[3], framed = how[4], octaves = how[5];
    const float low = how[6], beyond = 1 / (how[7] - how[6]), share = how[8];
    NV_EACH(k) {
        NV_OF_THREE;
        const nv_v x = nv_load(in[3] + k), y = nv_load(in[4] + k);
        nv_v u = nv_size(x) * wide, v = nv_size(y) * high, radius = nv_root(x * x + y * y) * half;
        u = u * u, v = v * v;
        if (framed != 0) radius += framed * (nv_root(nv_root((u * u + v * v) * 0.5f)) - radius);
        nv_v factor = nv_exp2(nv_stepped((radius - begins) * soft) * octaves);
        if (share != 0) factor += (1.0f - factor) * share * nv_stepped((NV_LUMINANCE(r, g, b) - low) * beyond);
        nv_lay(out, k, r * factor, g * factor, b * factor);
    }
}

/* in: as `nv_draw_in`; how: amount */
NV_BLOCK nv_drawn_in(const float *const *in, float *const *out, const float *how) { nv_draw_in(in, out, how[0], NV_LANES); }

#endif
