# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""Means of square boxes of a picture of 8 or 16 bits, each code decoded on the way, in one pass.

Compiled by Cython (`./run` does it): general packages decode the whole picture to floating point first.
"""


ctypedef fused codes:
    unsigned char
    unsigned short


def averaged(const codes[:, :, ::1] pixels, const float[::1] decoding, int side, float[:, :, ::1] out):
    cdef Py_ssize_t height = out.shape[0], width = out.shape[1], row, column
    cdef int down, across
    cdef float share = 1.0 / (side * side), red, green, blue
    cdef const codes *p
    cdef float *o
    with nogil:
        for row in range(height):
            for down in range(side):
                p, o = &pixels[row * side + down, 0, 0], &out[row, 0, 0]
                for column in range(width):
                    red = green = blue = 0
                    for across in range(side):
                        red += decoding[p[0]]
                        green += decoding[p[1]]
                        blue += decoding[p[2]]
                        p += 3
                    if down == 0:
                        o[0], o[1], o[2] = red, green, blue
                    else:
                        o[0] += red
                        o[1] += green
                        o[2] += blue
                    o += 3
            o = &out[row, 0, 0]
            for column in range(3 * width):
                o[column] *= share
