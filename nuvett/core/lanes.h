/* Elementary functions of single precision, eight at a time, and the loop that colour by colour work is done in.

   Written with the compiler's own vectors, which every processor's fit; a compiler does not make them of such loops by
   itself. Colours are worked on in blocks of one length, the last filled up: each goes through the same instructions
   wherever it stands, and comes out the same however a list is cut. Series are Taylor's, as long as makes what is left
   out smaller than rounding. */
#ifndef NUVETT_LANES_H
#define NUVETT_LANES_H

#include <string.h>
#ifdef __AVX__
#include <immintrin.h>
#endif

#define NV_WIDE 8    /* colours at once */
#define NV_LANES 256 /* colours a block: what they pass through stays in the first cache */
#define NV_PLANES 6  /* of colours that come in, at most */
#define NV_INLINE static inline __attribute__((always_inline))
#define NV_EACH(k) for (int k = 0; k < NV_LANES; k += NV_WIDE)

typedef float nv_v __attribute__((vector_size(4 * NV_WIDE)));
typedef int nv_i __attribute__((vector_size(4 * NV_WIDE)));

/* A wheel is for any machine of its kind, and the kinds of vectors differ; which one is there is found once. */
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__AVX2__)
#define NV_BLOCK __attribute__((target_clones("arch=skylake-avx512", "arch=haswell", "default"))) static void
#else
#define NV_BLOCK static void
#endif

typedef void (*nv_block)(const float *const *in, float *const *out, const float *how);

/* Planes (ins, count) through a block function to planes (3, count). */
static __attribute__((unused)) void nv_over(
    nv_block work, const float *const *in, int ins, float *const *out, long count, const float *how
) {
    float filled[NV_PLANES][NV_LANES], made[3][NV_LANES];
    const float *from[NV_PLANES];
    float *to[3];
    for (long start = 0; start < count; start += NV_LANES) {
        const long left = count - start;
        if (left >= NV_LANES) {
            for (int p = 0; p < ins; p++) from[p] = in[p] + start;
            for (int p = 0; p < 3; p++) to[p] = out[p] + start;
            work(from, to, how);
            continue;
        }
        for (int p = 0; p < ins; p++) {
            memset(filled[p], 0, sizeof filled[p]);
            memcpy(filled[p], in[p] + start, left * sizeof(float));
            from[p] = filled[p];
        }
        for (int p = 0; p < 3; p++) to[p] = made[p];
        work(from, to, how);
        for (int p = 0; p < 3; p++) memcpy(out[p] + start, made[p], left * sizeof(float));
    }
}

NV_INLINE nv_v nv_load(const float *from) {
    nv_v x;
    memcpy(&x, from, sizeof x);
    return x;
}

NV_INLINE void nv_store(float *to, nv_v x) { memcpy(to, &x, sizeof x); }
NV_INLINE nv_v nv_all(float x) { return (nv_v){x, x, x, x, x, x, x, x}; }
NV_INLINE nv_v nv_where(nv_i is, nv_v one, nv_v other) { return (nv_v)(((nv_i)one & is) | ((nv_i)other & ~is)); }
NV_INLINE nv_v nv_less(nv_v a, nv_v b) { return nv_where(a < b, a, b); }
NV_INLINE nv_v nv_more(nv_v a, nv_v b) { return nv_where(a > b, a, b); }
NV_INLINE nv_v nv_held(nv_v x) { return nv_less(nv_more(x, nv_all(0)), nv_all(1)); }
NV_INLINE nv_v nv_size(nv_v x) { return (nv_v)((nv_i)x & 0x7fffffff); }
NV_INLINE nv_v nv_signed(nv_v size, nv_v as) { return (nv_v)((nv_i)size | ((nv_i)as & (int)0x80000000)); }
NV_INLINE nv_i nv_whole(nv_v x) { return __builtin_convertvector(x, nv_i); }
NV_INLINE nv_v nv_float(nv_i x) { return __builtin_convertvector(x, nv_v); }

/* x to the power of -1/3, x from 0: a guess by the exponent, a few percent off, and Newton's steps that square that. */
NV_INLINE nv_v nv_inverse_cube_root(nv_v x) {
    nv_v y = (nv_v)(0x54a21d2a - nv_whole(nv_float((nv_i)x) * 0.333333333f));
    for (int step = 0; step < 3; step++) y = y * (4.0f - x * y * y * y) * 0.333333333f;
    return y;
}

/* Of either sign. */
NV_INLINE nv_v nv_cube_root(nv_v x) {
    const nv_v size = nv_size(x), inverse = nv_inverse_cube_root(size), squared = inverse * inverse;
    const nv_v root = size * squared;
    return nv_signed(root - (root * root * root - size) * squared * 0.333333333f, x);
}

/* The square root of x from 0. */
NV_INLINE nv_v nv_root(nv_v x) {
#ifdef __AVX__
    return (nv_v)_mm256_sqrt_ps((__m256)x);
#else
    nv_v root;
    for (int place = 0; place < NV_WIDE; place++) root[place] = __builtin_sqrtf(x[place]);
    return root;
#endif
}

NV_INLINE nv_v nv_exp2(nv_v x) {
    const nv_v bounded = nv_more(nv_less(x, nv_all(126)), nv_all(-100)); /* below lie numbers that take long */
    const nv_i whole = nv_whole(bounded + nv_signed(nv_all(0.5f), bounded));
    const nv_v r = (bounded - nv_float(whole)) * 0.693147181f;
    const nv_v made = 1.0f + r * (1.0f + r * (0.5f + r * (0.166666667f + r * (0.0416666667f
        + r * (0.00833333333f + r * (0.00138888889f + r * 0.000198412698f))))));
    return (nv_v)((nv_i)made + (whole << 23));
}

/* Of x above 0; what lies below the least that counts is taken for it. */
NV_INLINE nv_v nv_log2(nv_v x) {
    const nv_i bits = (nv_i)nv_more(x, nv_all(1e-30f)), whole = (bits - 0x3f3504f3) >> 23;
    const nv_v m = (nv_v)(bits - (whole << 23)), s = (m - 1.0f) / (m + 1.0f), q = s * s;
    const nv_v made = 1.0f + q * (0.333333333f + q * (0.2f + q * (0.142857143f + q * 0.111111111f)));
    return nv_float(whole) + 2.88539008f * s * made;
}

/* x from 0. */
NV_INLINE nv_v nv_power(nv_v x, float exponent) { return nv_exp2(exponent * nv_log2(x)); }

/* The angle of (x, y), -pi to pi. */
NV_INLINE nv_v nv_angle(nv_v y, nv_v x) {
    const nv_v width = nv_size(x), height = nv_size(y);
    const nv_v t = nv_less(width, height) / nv_more(nv_more(width, height), nv_all(1e-30f));
    const nv_i far = t > 0.414213562f;
    const nv_v s = nv_where(far, (t - 1.0f) / (t + 1.0f), t), q = s * s;
    nv_v angle = s * (1.0f - q * (0.333333333f - q * (0.2f - q * (0.142857143f - q * (0.111111111f
        - q * (0.0909090909f - q * (0.0769230769f - q * 0.0666666667f)))))));
    angle += nv_where(far, nv_all(0.785398163f), nv_all(0));
    angle = nv_where(height > width, 1.57079633f - angle, angle);
    angle = nv_where(x < 0, 3.14159265f - angle, angle);
    return nv_signed(angle, y);
}

/* As `smooth.smooth_step` and `smooth.soft_limit`. */
NV_INLINE nv_v nv_stepped(nv_v x) {
    const nv_v s = nv_held(x);
    return s * s * (3.0f - 2.0f * s);
}

NV_INLINE nv_v nv_limited(nv_v movement, nv_v limit) {
    const nv_v share = nv_size(movement) / nv_more(limit, nv_all(1e-6f));
    return movement * nv_inverse_cube_root(1.0f + share * share * share);
}

/* Values of a table at places in it. */
NV_INLINE nv_v nv_from(const float *table, nv_i at) {
    return (nv_v){table[at[0]], table[at[1]], table[at[2]], table[at[3]],
                  table[at[4]], table[at[5]], table[at[6]], table[at[7]]};
}

/* Three values through a row of a matrix. */
#define NV_MIXED(m, at, x, y, z) ((m)[at] * (x) + (m)[(at) + 1] * (y) + (m)[(at) + 2] * (z))

#endif
