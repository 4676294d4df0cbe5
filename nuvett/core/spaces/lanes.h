/* Colours between linear light and OKLab, into a gamut, and eased before its boundary, block by block. */
#ifndef NUVETT_SPACES_LANES_H
#define NUVETT_SPACES_LANES_H

#include "nuvett/core/lanes.h"

/* made : OKLab of three channels of light. m : light to cone responses (9), those to OKLab (9) */
NV_INLINE void nv_seen(nv_v *made, const float *m, nv_v r, nv_v g, nv_v b) {
    const nv_v l = nv_cube_root(NV_MIXED(m, 0, r, g, b)), c = nv_cube_root(NV_MIXED(m, 3, r, g, b));
    const nv_v s = nv_cube_root(NV_MIXED(m, 6, r, g, b));
    for (int p = 0; p < 3; p++) made[p] = NV_MIXED(m, 9 + 3 * p, l, c, s);
}

/* how: as `nv_seen` */
NV_BLOCK nv_to_lab(const float *const *in, float *const *out, const float *how) {
    float m[18];
    memcpy(m, how, sizeof m);
    NV_EACH(k) {
        nv_v made[3];
        nv_seen(made, m, nv_load(in[0] + k), nv_load(in[1] + k), nv_load(in[2] + k));
        for (int p = 0; p < 3; p++) nv_store(out[p] + k, made[p]);
    }
}

/* made : three channels of light. m : OKLab to roots of cone responses (9), responses to light (9) */
NV_INLINE void nv_lit(nv_v *made, const float *m, nv_v lightness, nv_v a, nv_v b) {
    nv_v l = NV_MIXED(m, 0, lightness, a, b), c = NV_MIXED(m, 3, lightness, a, b), s = NV_MIXED(m, 6, lightness, a, b);
    l = l * l * l, c = c * c * c, s = s * s * s;
    for (int p = 0; p < 3; p++) made[p] = NV_MIXED(m, 9 + 3 * p, l, c, s);
}

/* how: as `nv_lit` */
NV_BLOCK nv_to_light(const float *const *in, float *const *out, const float *how) {
    float m[18];
    memcpy(m, how, sizeof m);
    NV_EACH(k) {
        nv_v made[3];
        nv_lit(made, m, nv_load(in[0] + k), nv_load(in[1] + k), nv_load(in[2] + k));
        for (int p = 0; p < 3; p++) nv_store(out[p] + k, made[p]);
    }
}

/* Limit at a lightness and hue, bilinear in cells of four values. */
NV_INLINE nv_v nv_limit(const float *cells, int rows, int columns, nv_v lightness, nv_v a, nv_v b) {
    const nv_v down = nv_held(lightness) * (float)rows, angle = nv_angle(b, a);
    const nv_v across = nv_where(angle < 0, angle + 6.28318531f, angle) * (columns * 0.159154943f);
    const nv_i row = nv_whole(nv_less(down, nv_all(rows - 1))), column = nv_whole(nv_less(across, nv_all(columns - 1)));
    const nv_v y = down - nv_float(row), x = across - nv_float(column);
    const nv_i cell = 4 * (row * columns + column);
    return nv_from(cells, cell) + x * nv_from(cells + 1, cell) + y * (nv_from(cells + 2, cell) + x * nv_from(cells + 3, cell));
}

/* Light from 0 through a transfer curve. curve : exponent, toe, slope of the straight piece, and light where it ends */
NV_INLINE nv_v nv_encoded(const float *curve, nv_v light) {
    const nv_v bent = (1.0f + curve[1]) * nv_power(light, curve[0]) - curve[1];
    return nv_where(light <= curve[3], light * curve[2], bent);
}

/* how: as `nv_lit`, then a transfer curve with exponent 0 for none, tolerance, rows and columns of cells, the cells */
NV_BLOCK nv_within(const float *const *in, float *const *out, const float *how) {
    float m[18];
    memcpy(m, how, sizeof m);
    const float *curve = how + 18, below = -how[22], beyond = 1.0f + how[22];
    const int rows = (int)how[23], columns = (int)how[24];
    NV_EACH(k) {
        const nv_v x = nv_load(in[0] + k), a = nv_load(in[1] + k), b = nv_load(in[2] + k);
        nv_v plain[3], lower[3];
        nv_lit(plain, m, x, a, b);
        const nv_i outside = (nv_less(nv_less(plain[0], plain[1]), plain[2]) < below)
            | (nv_more(nv_more(plain[0], plain[1]), plain[2]) > beyond);
        const nv_v chroma = nv_more(nv_root(a * a + b * b), nv_all(1e-6f)), lightness = nv_held(x);
        const nv_v share = nv_less(nv_all(1), nv_limit(how + 25, rows, columns, lightness, a, b) / chroma);
        nv_lit(lower, m, lightness, share * a, share * b);
        for (int p = 0; p < 3; p++) {
            const nv_v made = nv_held(nv_where(outside, lower[p], plain[p]));
            nv_store(out[p] + k, curve[0] == 0.0f ? made : nv_held(nv_encoded(curve, made)));
        }
    }
}

/* in: colours after, colours before; how: knee, edge, rows and columns of cells, and the cells */
NV_BLOCK nv_eased(const float *const *in, float *const *out, const float *how) {
    const float least = how[0], edge = how[1], *cells = how + 4;
    const int rows = (int)how[2], columns = (int)how[3];
    NV_EACH(k) {
        const nv_v x = nv_load(in[0] + k), a = nv_load(in[1] + k), b = nv_load(in[2] + k);
        const nv_v own_x = nv_load(in[3] + k), own_a = nv_load(in[4] + k), own_b = nv_load(in[5] + k);
        const nv_v limit = nv_more(nv_limit(cells, rows, columns, x, a, b), nv_all(1e-4f));
        const nv_v own_limit = nv_more(nv_limit(cells, rows, columns, own_x, own_a, own_b), nv_all(1e-4f));
        const nv_v chroma = nv_root(a * a + b * b), relative = nv_more(chroma / limit, nv_all(1e-9f));
        const nv_v own = nv_root(own_a * own_a + own_b * own_b) / own_limit;
        const nv_v knee = nv_less(nv_more(own, nv_all(least)), nv_all(1)), over = nv_more(relative - knee, nv_all(0));
        const nv_v room = nv_more(edge - knee, nv_all(1e-3f));
        const nv_v eased = nv_less(relative, knee) + room * over / (over + room);
        const nv_v scale = nv_where(chroma > least * limit, eased / relative, nv_all(1));
        nv_store(out[0] + k, x);
        nv_store(out[1] + k, a * scale);
        nv_store(out[2] + k, b * scale);
    }
}

#endif
