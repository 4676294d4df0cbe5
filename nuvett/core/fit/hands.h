/* What steps made by hand do to colours, block by block: ranges of hues, and washes. */
#ifndef NUVETT_FIT_HANDS_H
#define NUVETT_FIT_HANDS_H

#include "nuvett/core/fit/lanes.h"
#include "nuvett/core/spaces/lanes.h"

/* Where colours lie in tables (levels of chroma, hues), and how far toward the next of each. */
typedef struct {
    nv_i here, beyond; /* at the lower level: this hue and the next */
    nv_v along, up;
    int hues;
} nv_hue_place;

NV_INLINE nv_hue_place nv_hue_at(const float *chromas, int levels, int hues, nv_v chroma, nv_v a, nv_v b) {
    const nv_v angle = nv_angle(b, a);
    const nv_v across = nv_where(angle < 0, angle + 6.28318531f, angle) * (hues * 0.159154943f);
    const nv_i column = nv_whole(nv_less(across, nv_all(hues - 1))), next = column + 1;
    nv_i row = (nv_i){0};
    for (int level = 1; level < levels - 1; level++) row -= chroma >= chromas[level];
    const nv_v low = nv_from(chromas, row), high = nv_from(chromas + 1, row);
    return (nv_hue_place){row * hues + column, row * hues + (next & (next < hues)), across - nv_float(column),
                          nv_held((chroma - low) / (high - low)), hues};
}

NV_INLINE nv_v nv_of_hue(const float *table, const nv_hue_place *at) {
    const nv_v first = nv_from(table, at->here), above = nv_from(table + at->hues, at->here);
    const nv_v low = first + at->along * (nv_from(table, at->beyond) - first);
    const nv_v high = above + at->along * (nv_from(table + at->hues, at->beyond) - above);
    return low + at->up * (high - low);
}

/* As `chroma.saturated`: chroma that nears a most and never passes it, untouched to three quarters of it. */
NV_INLINE nv_v nv_under_ceiling(nv_v chroma, float most) {
    const float knee = 0.75f * most, room = 0.25f * most;
    const nv_v above = nv_more(chroma - knee, nv_all(0));
    return nv_less(chroma, nv_all(knee)) + room * above / (room + above);
}

/* how: hues, levels, what chroma squared is times for a turn and for lightness, number of ceilings; chromas of the
   levels; tables of turn, share of chroma and lightness; then of each ceiling its chroma, and a table of its share */
NV_BLOCK nv_ranged(const float *const *in, float *const *out, const float *how) {
    const int hues = (int)how[0], levels = (int)how[1], ceilings = (int)how[4], size = hues * levels;
    const float *chromas = how + 5, *tables = chromas + levels;
    NV_EACH(k) {
        const nv_v x = nv_load(in[0] + k), a = nv_load(in[1] + k), b = nv_load(in[2] + k);
        const nv_v squares = a * a + b * b, chroma = nv_root(squares);
        const nv_hue_place at = nv_hue_at(chromas, levels, hues, chroma, a, b);
        const nv_v sure = 1.0f - nv_exp2(how[2] * squares), turn = sure * nv_of_hue(tables, &at);
        nv_v factor = nv_more(1.0f + sure * nv_of_hue(tables + size, &at), nv_all(0));
        const nv_v richer = chroma * factor, length = nv_more(richer, nv_all(1e-6f));
        for (int c = 0; c < ceilings; c++) {
            const float *ceiling = tables + 3 * size + c * (size + 1);
            const nv_v below = nv_under_ceiling(richer, ceiling[0]) / length;
            factor *= 1.0f - nv_of_hue(ceiling + 1, &at) * (1.0f - below);
        }
        const nv_v cosine = factor * nv_cosine(turn), sine = factor * nv_sine(turn);
        nv_store(out[0] + k, x + (1.0f - nv_exp2(how[3] * squares)) * nv_of_hue(tables + 2 * size, &at));
        nv_store(out[1] + k, a * cosine - b * sine);
        nv_store(out[2] + k, a * sine + b * cosine);
    }
}

/* In the order of `wash.COMPILED`. */
enum {
    NV_NORMAL, NV_MULTIPLY, NV_SCREEN, NV_OVERLAY, NV_DARKEN, NV_LIGHTEN, NV_HARD_LIGHT, NV_SOFT_LIGHT, NV_DIFFERENCE,
    NV_EXCLUSION
};

NV_INLINE nv_v nv_hard(nv_v b, nv_v s) {
    const nv_v twice = 2.0f * s - 1.0f;
    return nv_where(s <= 0.5f, 2.0f * b * s, b + twice - b * twice);
}

/* W3C Compositing and Blending Level 1, section 10.1: a backdrop and a source, 0 to 1. */
NV_INLINE nv_v nv_blended(int mode, nv_v b, nv_v s) {
    switch (mode) {
        case NV_MULTIPLY: return b * s;
        case NV_SCREEN: return b + s - b * s;
        case NV_OVERLAY: return nv_hard(s, b);
        case NV_DARKEN: return nv_less(b, s);
        case NV_LIGHTEN: return nv_more(b, s);
        case NV_HARD_LIGHT: return nv_hard(b, s);
        case NV_SOFT_LIGHT: {
            const nv_v bent = nv_where(b <= 0.25f, ((16.0f * b - 12.0f) * b + 4.0f) * b, nv_root(b));
            const nv_v lighter = b + (2.0f * s - 1.0f) * (bent - b);
            return nv_where(s <= 0.5f, b - (1.0f - 2.0f * s) * b * (1.0f - b), lighter);
        }
        case NV_DIFFERENCE: return nv_size(b - s);
        case NV_EXCLUSION: return b + s - 2.0f * b * s;
        default: return s;
    }
}

/* Encoded values from 0 to light; curve as `nv_encoded`. */
NV_INLINE nv_v nv_decoded(const float *curve, nv_v encoded) {
    const nv_v bent = nv_power((encoded + curve[1]) * (1.0f / (1.0f + curve[1])), 1.0f / curve[0]);
    return nv_where(encoded <= curve[2] * curve[3], encoded * (1.0f / curve[2]), bent);
}

/* Numbers of `wash.washed`, in its order; the first colour and the segments follow. */
enum {
    NV_MODE, NV_OPACITY, NV_LOW, NV_HIGH, NV_FADES, NV_WAY, NV_SEGMENTS,
    NV_INTO_LIGHT, NV_FROM_LIGHT = NV_INTO_LIGHT + 18, NV_CURVE = NV_FROM_LIGHT + 18, NV_STOPS = NV_CURVE + 4
};

/* Ways: along L*, against it, or along the lightness of OKLab, which is then laid as it is. A segment begins at a
   lightness; then one over how far it reaches, and what of the colour changes over it. */
NV_BLOCK nv_washed(const float *const *in, float *const *out, const float *how) {
    const int mode = (int)how[NV_MODE], segments = (int)how[NV_SEGMENTS];
    const float *curve = how + NV_CURVE, *m = how + NV_FROM_LIGHT;
    NV_EACH(k) {
        const nv_v own[3] = {nv_load(in[0] + k), nv_load(in[1] + k), nv_load(in[2] + k)};
        const nv_v root = nv_held(own[0]), cube = root * root * root;
        const nv_v lightness = nv_where(cube > 0.00885645168f, 116.0f * root - 16.0f, 903.296296f * cube);
        const nv_v where = how[NV_WAY] == 0 ? lightness : how[NV_WAY] == 1 ? 100.0f - lightness : own[0];
        nv_v laid[3] = {nv_all(how[NV_STOPS]), nv_all(how[NV_STOPS + 1]), nv_all(how[NV_STOPS + 2])};
        for (const float *one = how + NV_STOPS + 3; one < how + NV_STOPS + 3 + 5 * segments; one += 5) {
            const nv_v share = nv_held((where - one[0]) * one[1]);
            for (int p = 0; p < 3; p++) laid[p] += share * one[2 + p];
        }
        if (how[NV_WAY] == 2) laid[0] = own[0];
        nv_v backdrop[3], source[3], light[3];
        nv_lit(backdrop, how + NV_INTO_LIGHT, own[0], own[1], own[2]);
        nv_lit(source, how + NV_INTO_LIGHT, laid[0], laid[1], laid[2]);
        for (int p = 0; p < 3; p++) {
            const nv_v encoded = nv_signed(nv_encoded(curve, nv_size(backdrop[p])), backdrop[p]);
            const nv_v inside = nv_held(encoded);
            const nv_v over = nv_held(nv_encoded(curve, nv_more(source[p], nv_all(0))));
            const nv_v made = encoded + (nv_blended(mode, inside, over) - inside);
            light[p] = nv_signed(nv_decoded(curve, nv_size(made)), made);
        }
        nv_v blended[3];
        nv_seen(blended, m, light[0], light[1], light[2]);
        nv_v within = nv_all(how[NV_OPACITY]);
        if (how[NV_LOW] > 0) within *= nv_stepped((lightness - how[NV_LOW]) / how[NV_FADES] + 0.5f);
        if (how[NV_HIGH] < 100) within *= nv_stepped((how[NV_HIGH] - lightness) / how[NV_FADES] + 0.5f);
        for (int p = 0; p < 3; p++) nv_store(out[p] + k, own[p] + within * (blended[p] - own[p]));
    }
}

#endif
