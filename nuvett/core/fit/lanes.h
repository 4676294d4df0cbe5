/* What fitted stages do to colours, and what is kept of them, block by block. */
#ifndef NUVETT_FIT_LANES_H
#define NUVETT_FIT_LANES_H

#include "nuvett/core/lanes.h"

/* in: colours, and as they came; how: points of the table, then lightness, offsets of a and b, and a matrix by columns,
   each at all points */
NV_BLOCK nv_by_lightness(const float *const *in, float *const *out, const float *how) {
    const int points = (int)how[0];
    const float rows = points - 1;
    NV_EACH(k) {
        const nv_v a = nv_load(in[1] + k), b = nv_load(in[2] + k), came = nv_load(in[3] + k);
        const nv_v inside = nv_held(came), place = inside * rows;
        const nv_i row = nv_whole(nv_less(place, nv_all(rows - 1)));
        const nv_v share = place - nv_float(row);
        nv_v at[7];
        for (int column = 0; column < 7; column++) {
            const float *table = how + 1 + column * points;
            const nv_v low = nv_from(table, row);
            at[column] = low + share * (nv_from(table + 1, row) - low);
        }
        nv_store(out[0] + k, at[0] + (came - inside));
        nv_store(out[1] + k, at[1] + at[3] * a + at[5] * b);
        nv_store(out[2] + k, at[2] + at[4] * a + at[6] * b);
    }
}

/* how: number of moves, weight of no move, then of each move its source (3), its way (3), 1 / (2 reach^2), its weight */
NV_BLOCK nv_moved(const float *const *in, float *const *out, const float *how) {
    const int moves = (int)how[0];
    NV_EACH(k) {
        const nv_v x = nv_load(in[0] + k), y = nv_load(in[1] + k), z = nv_load(in[2] + k);
        nv_v by_x = nv_all(0), by_y = nv_all(0), by_z = nv_all(0), sum = nv_all(how[1]);
        for (const float *move = how + 2; move < how + 2 + 8 * moves; move += 8) {
            const nv_v dx = x - move[0], dy = y - move[1], dz = z - move[2];
            const nv_v weight = nv_exp2((dx * dx + dy * dy + dz * dz) * (move[6] * -1.44269504f)) * move[7];
            by_x += weight * move[3], by_y += weight * move[4], by_z += weight * move[5], sum += weight;
        }
        nv_store(out[0] + k, x + by_x / sum);
        nv_store(out[1] + k, y + by_y / sum);
        nv_store(out[2] + k, z + by_z / sum);
    }
}

NV_INLINE nv_v nv_between(nv_v value, const float *ends) { return nv_stepped((value - ends[0]) / (ends[1] - ends[0])); }

/* Numbers of `keep.keep_softly`, in its order. */
enum {
    NV_VIVID, NV_WHITES, NV_NEUTRAL, NV_WHITE, NV_PAPER = NV_WHITE + 2, NV_FAINT = NV_PAPER + 2, NV_AGAINST,
    NV_HAS_HUE = NV_AGAINST + 2, NV_FOREIGN = NV_HAS_HUE + 2, NV_GREYED = NV_FOREIGN + 2, NV_TURN, NV_SOFT, NV_BACK
};

/* in: colours before, and after */
NV_BLOCK nv_kept(const float *const *in, float *const *out, const float *how) {
    const float faint = how[NV_FAINT], near_neutral = -1.44269504f / (how[NV_NEUTRAL] * how[NV_NEUTRAL]);
    const int tinted = how[NV_WHITES] < 1.0f, takes_back = how[NV_VIVID] > 0.0f;
    NV_EACH(k) {
        const nv_v own_x = nv_load(in[0] + k), own_a = nv_load(in[1] + k), own_b = nv_load(in[2] + k);
        nv_v a = nv_load(in[4] + k), b = nv_load(in[5] + k);
        const nv_v squares = own_a * own_a + own_b * own_b, chroma = nv_root(squares);
        const nv_v length = nv_more(chroma, nv_all(1e-6f)), unit_a = own_a / length, unit_b = own_b / length;
        if (tinted) {
            const nv_v near = nv_exp2(squares * near_neutral);
            nv_v left = (1.0f - how[NV_WHITES]) * near * nv_between(own_x, how + NV_WHITE);
            left += (1.0f - left) * near * nv_between(own_x, how + NV_PAPER);
            a -= left * (a - own_a), b -= left * (b - own_b);
        }
        /* Where what was added points away from the own hue, what lies between is a hue of neither: it is greyed. */
        const nv_v by_a = a - chroma * unit_a, by_b = b - chroma * unit_b;
        const nv_v by = nv_root(by_a * by_a + by_b * by_b) + faint;
        const nv_v against = -(by_a * unit_a + by_b * unit_b) / by;
        const nv_v opposed = nv_between(against, how + NV_AGAINST) * nv_between(chroma, how + NV_HAS_HUE);
        const nv_v made = nv_root(a * a + b * b) + faint;
        const nv_v to_own = (a * unit_a + b * unit_b) / made, to_added = (a * by_a + b * by_b) / (made * by);
        const nv_v foreign = nv_between(-nv_more(to_own, to_added), how + NV_FOREIGN);
        const nv_v stays = 1.0f - how[NV_GREYED] * opposed * foreign;
        a *= stays, b *= stays;
        if (takes_back) {
            /* Along and across the own hue: a least chroma, met softly, and a largest turn. */
            const nv_v least = how[NV_VIVID] * length, along = a * unit_a + b * unit_b, across = b * unit_a - a * unit_b;
            const nv_v larger = nv_more(nv_more(along, least), nv_all(1e-6f));
            nv_v ratio = nv_more(nv_less(along, least) / larger, nv_all(1e-4f)); /* its eighth power is nothing already */
            ratio *= ratio, ratio *= ratio, ratio *= ratio;
            const nv_v kept = larger * nv_root(nv_root(nv_root(1.0f + ratio)));
            const nv_v turned = nv_limited(across, how[NV_TURN] * kept);
            const nv_v back_a = kept * unit_a - turned * unit_b - a, back_b = kept * unit_b + turned * unit_a - b;
            const nv_v distance = nv_more(nv_root(back_a * back_a + back_b * back_b), nv_all(1e-9f));
            const nv_v allowed = how[NV_BACK] * nv_more(chroma - how[NV_SOFT], nv_all(0));
            const nv_v share = nv_limited(distance, allowed) / distance;
            a += share * back_a, b += share * back_b;
        }
        nv_store(out[0] + k, nv_load(in[3] + k));
        nv_store(out[1] + k, a);
        nv_store(out[2] + k, b);
    }
}

/* Numbers of `holds.hold_colours`, in its order; centres follow. */
enum {
    NV_HUE, NV_CHROMA, NV_LIGHTNESS, NV_COLOURLESS, NV_INNER, NV_FALL, NV_WIDEST, NV_WIDER, NV_MOST,
    NV_ALONG, NV_ACROSS, NV_DEPTH, NV_LEVEL, NV_INWARD, NV_INWARD_MOST, NV_CENTRES
};

/* Radius to the nearest of some ellipses, 1 on it; each has lightness, hue by cosine and sine, and a chroma that rises
   from a lightness on: that lightness, the chroma there, one over how far it rises, and by how much. */
NV_INLINE nv_v nv_radius(const float *how, nv_v lightness, nv_v a, nv_v b) {
    nv_v nearest = nv_all(1e9f);
    const float *centre = how + NV_CENTRES + 1;
    for (int c = 0; c < (int)how[NV_CENTRES]; c++, centre += 7) {
        const nv_v chroma = centre[4] + nv_held((lightness - centre[3]) * centre[5]) * centre[6];
        const nv_v along = a * centre[1] + b * centre[2] - chroma, across = b * centre[1] - a * centre[2];
        const nv_v depth = nv_more(nv_size(lightness - centre[0]) / how[NV_DEPTH] - how[NV_LEVEL], nv_all(0));
        nv_v reach = nv_all(how[NV_ALONG]);
        if (how[NV_INWARD_MOST] > 0) {
            const nv_v inward = nv_less(nv_all(how[NV_INWARD_MOST]), how[NV_INWARD] * nv_more(chroma, nv_all(1e-3f)));
            reach = nv_where(along < 0, inward, reach);
        }
        const nv_v u = along / reach, v = across / how[NV_ACROSS];
        nearest = nv_less(nearest, u * u + v * v + depth * depth);
    }
    return nv_root(nearest);
}

/* Sine and cosine of an angle of at most a third of the circle. */
NV_INLINE nv_v nv_sine(nv_v x) {
    const nv_v q = x * x;
    return x * (1.0f - q * (0.166666667f - q * (0.00833333333f - q * (0.000198412698f - q * 2.75573192e-6f))));
}

NV_INLINE nv_v nv_cosine(nv_v x) {
    const nv_v half = nv_sine(0.5f * x);
    return 1.0f - 2.0f * half * half;
}

/* in: colours before, and after */
NV_BLOCK nv_hold(const float *const *in, float *const *out, const float *how) {
    NV_EACH(k) {
        const nv_v x = nv_load(in[0] + k), a = nv_load(in[1] + k), b = nv_load(in[2] + k);
        const nv_v new_x = nv_load(in[3] + k), new_a = nv_load(in[4] + k), new_b = nv_load(in[5] + k);
        const nv_v chroma = nv_root(a * a + b * b), new_chroma = nv_root(new_a * new_a + new_b * new_b);
        const nv_v held_chroma = chroma + nv_limited(new_chroma - chroma, chroma * how[NV_CHROMA]);
        const nv_v dot = a * new_a + b * new_b, turn = nv_angle(a * new_b - b * new_a, dot);
        const nv_v cosine = dot / nv_more(chroma * new_chroma, nv_all(1e-18f));
        const nv_v meant = nv_less(1.0f + cosine, nv_all(1)) * nv_less(new_chroma / how[NV_COLOURLESS], nv_all(1));
        const nv_v turned = nv_limited(turn, nv_all(how[NV_HUE])) * meant;
        const nv_v scale = held_chroma / nv_more(chroma, nv_all(1e-6f));
        const nv_v along = scale * nv_cosine(turned), across = scale * nv_sine(turned);
        nv_v back_x = x + nv_limited(new_x - x, nv_all(how[NV_LIGHTNESS])) - new_x;
        nv_v back_a = along * a - across * b - new_a, back_b = along * b + across * a - new_b;
        const nv_v distance = nv_root(back_x * back_x + back_a * back_a + back_b * back_b);
        nv_v width = nv_all(how[NV_FALL]), taken = nv_all(1);
        if (how[NV_MOST] > 0) taken = nv_limited(distance, nv_all(how[NV_MOST])) / nv_more(distance, nv_all(1e-9f));
        else width = nv_less(nv_more(distance * how[NV_WIDER], width), nv_all(how[NV_WIDEST]));
        const nv_v share = taken * (1.0f - nv_stepped((nv_radius(how, x, a, b) - how[NV_INNER]) / width));
        nv_store(out[0] + k, new_x + share * back_x);
        nv_store(out[1] + k, new_a + share * back_a);
        nv_store(out[2] + k, new_b + share * back_b);
    }
}

#endif
