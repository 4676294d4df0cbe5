# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Pixels of eight bits through a table by tetrahedral interpolation, dithered, in one pass.

Compiled by Cython (`./run` does it): a general package takes floating point out and a second pass for the noise.

Each code is known by its place in the lattice, with the shaper in it. Of the six tetrahedra of a cell (Sakamoto and
Itooka, US patent 4,275,413, 1981) the one that holds a colour is told by which of its three fractions are larger. The
four corners are weighed as one vector, which every compiler's own vectors do and loops over three channels do not.
"""

cdef extern from *:
    """
    #include <string.h>
    typedef float nuvett_vector __attribute__((vector_size(16)));
    typedef int nuvett_whole __attribute__((vector_size(16)));
    typedef unsigned char nuvett_bytes __attribute__((vector_size(4)));

    static inline nuvett_vector nuvett_at(const float *from) {
        nuvett_vector found;
        memcpy(&found, from, sizeof found);
        return found;
    }

    static inline nuvett_vector nuvett_more(nuvett_vector one, nuvett_vector other) {
        const nuvett_whole larger = one > other;
        return (nuvett_vector)(((nuvett_whole)one & larger) | ((nuvett_whole)other & ~larger));
    }

    static inline nuvett_vector nuvett_less(nuvett_vector one, nuvett_vector other) {
        const nuvett_whole smaller = one < other;
        return (nuvett_vector)(((nuvett_whole)one & smaller) | ((nuvett_whole)other & ~smaller));
    }

    /* A wheel is for any machine of its kind, and the kinds of vectors differ; which one is there is found once. */
    #if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__AVX2__)
    __attribute__((target_clones("arch=skylake-avx512", "avx2", "default")))
    #endif
    static void nuvett_draw_row(
        const unsigned char *p, long count, const int *red_bases, const int *green_bases, const int *blue_bases,
        const float *fractions, const float *lattice, int side, const float *noise, unsigned char *o
    ) {
        const int red = side * side, green = side, all = red + green + 1;
        /* By whether red is at least green, green at least blue, and red at least blue; 1 and 6 cannot be. */
        const int second[8] = {1, 1, green, green, 1, red, red, red};
        const int third[8] = {green + 1, green + 1, green + 1, red + green, red + 1, red + 1, red + green, red + green};
        const nuvett_vector none = {0, 0, 0, 0}, most = {255, 255, 255, 255};
        for (long i = 0; i < count; i++, p += 3, o += 3) {
            const float r = fractions[p[0]], g = fractions[p[1]], b = fractions[p[2]];
            const float *corner = lattice + 4L * (red_bases[p[0]] + green_bases[p[1]] + blue_bases[p[2]]);
            const int order = ((r >= g) << 2) | ((g >= b) << 1) | (r >= b);
            float high = r > g ? r : g, low = r > g ? g : r, middle = high < b ? high : b;
            high = high > b ? high : b;
            middle = middle > low ? middle : low;
            low = low < b ? low : b;
            nuvett_vector made = nuvett_at(corner) * (1 - high) + nuvett_at(corner + 4 * second[order]) * (high - middle)
                + nuvett_at(corner + 4 * third[order]) * (middle - low) + nuvett_at(corner + 4 * all) * low
                + nuvett_at(noise + 4 * (i & 63));
            made = nuvett_less(nuvett_more(made, none), most);
            const nuvett_bytes codes = __builtin_convertvector(__builtin_convertvector(made, nuvett_whole), nuvett_bytes);
            memcpy(o, &codes, 3);
        }
    }
    """
    void nuvett_draw_row(
        const unsigned char *p, long count, const int *red_bases, const int *green_bases, const int *blue_bases,
        const float *fractions, const float *lattice, int side, const float *noise, unsigned char *o
    ) noexcept nogil


def drawn(
    const unsigned char[:, :, ::1] pixels, const int[:, ::1] bases, const float[::1] fractions,
    const float[:, ::1] lattice, int side, const float[:, :, ::1] noise, int first_row, unsigned char[:, :, ::1] out,
):
    cdef Py_ssize_t row
    with nogil:
        for row in range(pixels.shape[0]):
            nuvett_draw_row(
                &pixels[row, 0, 0], pixels.shape[1], &bases[0, 0], &bases[1, 0], &bases[2, 0], &fractions[0],
                &lattice[0, 0], side, &noise[(first_row + row) & 63, 0, 0], &out[row, 0, 0],
            )
