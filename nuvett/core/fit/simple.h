/* What curves, casts, saturation and black-and-white do to colours, block by block. */
#ifndef NUVETT_FIT_SIMPLE_H
#define NUVETT_FIT_SIMPLE_H

#include "nuvett/core/fit/hands.h"

/* A table over 0 to 1 at places in it. */
NV_INLINE nv_v nv_along(const float *table, int points, nv_v inside) {
    const nv_v place = inside * (float)(points - 1);
    const nv_i row = nv_whole(nv_less(place, nv_all(points - 2)));
    const nv_v low = nv_from(table, row);
    return low + (place - nv_float(row)) * (nv_from(table + 1, row) - low);
}

/* Values through a table over 0 to 1; what lies outside keeps its distance from the end. */
NV_INLINE nv_v nv_looked_up(const float *table, int points, nv_v value) {
    const nv_v inside = nv_held(value);
    return nv_along(table, points, inside) + (value - inside);
}

/* how: points of a table, whether channels have curves, and a table for lightness; then `curves.curved` lays out light
   from OKLab, OKLab from light, a transfer curve, and a table for each channel */
NV_BLOCK nv_curved(const float *const *in, float *const *out, const float *how) {
    const int points = (int)how[0], channels = (int)how[1];
    const float *into_light = how + 2 + points, *m = into_light + 18, *curve = m + 18, *tables = curve + 4;
    NV_EACH(k) {
        nv_v made[3] = {nv_looked_up(how + 2, points, nv_load(in[0] + k)), nv_load(in[1] + k), nv_load(in[2] + k)};
        if (channels) {
            nv_v light[3];
            nv_lit(light, into_light, made[0], made[1], made[2]);
            for (int p = 0; p < 3; p++) {
                const nv_v encoded = nv_signed(nv_encoded(curve, nv_size(light[p])), light[p]);
                const nv_v bent = nv_looked_up(tables + p * points, points, encoded);
                light[p] = nv_signed(nv_decoded(curve, nv_size(bent)), bent);
            }
            nv_seen(made, m, light[0], light[1], light[2]);
        }
        for (int p = 0; p < 3; p++) nv_store(out[p] + k, made[p]);
    }
}

/* how: ends of lightness between which blacks fade, whites come, and what black and white keep fades in and out; then a
   and b of blacks, neutrals and whites */
NV_BLOCK nv_cast(const float *const *in, float *const *out, const float *how) {
    const float *shifts = how + 8;
    NV_EACH(k) {
        const nv_v x = nv_load(in[0] + k);
        const nv_v blacks = 1.0f - nv_between(x, how), whites = nv_between(x, how + 2);
        const nv_v stays = nv_between(x, how + 4) * (1.0f - nv_between(x, how + 6)), neutrals = 1.0f - blacks - whites;
        nv_store(out[0] + k, x);
        for (int p = 0; p < 2; p++) {
            const nv_v by = blacks * shifts[p] + neutrals * shifts[2 + p] + whites * shifts[4 + p];
            nv_store(out[1 + p] + k, nv_load(in[1 + p] + k) + stays * by);
        }
    }
}

/* how: times, vibrance, minus one over the chroma about which that fades squared, in octaves; chroma that is neared and
   never passed, 0 for any */
NV_BLOCK nv_saturated(const float *const *in, float *const *out, const float *how) {
    NV_EACH(k) {
        const nv_v a = nv_load(in[1] + k), b = nv_load(in[2] + k), squares = a * a + b * b;
        nv_v factor = nv_more(how[0] * (1.0f + how[1] * nv_exp2(how[2] * squares)), nv_all(0));
        if (how[3] > 0) {
            const nv_v chroma = factor * nv_root(squares);
            factor *= nv_under_ceiling(chroma, how[3]) / nv_more(chroma, nv_all(1e-6f));
        }
        nv_store(out[0] + k, nv_load(in[0] + k));
        nv_store(out[1] + k, a * factor);
        nv_store(out[2] + k, b * factor);
    }
}

/* how: number of hues; of each its angle from 0, gain, and one over its reach to smaller and to larger angles; then points of
   toning, and its a and b at even steps of lightness
   in: colours; out: greys */
NV_BLOCK nv_greyed(const float *const *in, float *const *out, const float *how) {
    const int hues = (int)how[0], points = (int)how[1 + 4 * hues];
    const float *toning = how + 2 + 4 * hues;
    NV_EACH(k) {
        const nv_v a = nv_load(in[1] + k), b = nv_load(in[2] + k), angle = nv_angle(b, a);
        nv_v gain = nv_all(0);
        for (const float *hue = how + 1; hue < how + 1 + 4 * hues; hue += 4) {
            nv_v away = angle - hue[0];
            away = nv_where(away < -3.14159265f, away + 6.28318531f, away);
            away = nv_where(away >= 3.14159265f, away - 6.28318531f, away);
            const nv_v share = nv_size(away) * nv_where(away < 0, nv_all(hue[2]), nv_all(hue[3]));
            gain += hue[1] * nv_more(1.0f - share, nv_all(0));
        }
        const nv_v grey = nv_load(in[0] + k) + gain * nv_root(a * a + b * b);
        nv_store(out[0] + k, grey);
        for (int p = 0; p < 2; p++) {
            nv_store(out[1 + p] + k, points ? nv_along(toning + p * points, points, nv_held(grey)) : nv_all(0));
        }
    }
}

#endif
