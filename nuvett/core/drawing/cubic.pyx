# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True
"""The cubic kernel by which a frame is drawn from its file, with the light that a lens took given back on the way.

Compiled by Cython (`./run` does it): general packages need several passes over the picture for the same.

Places are known at the corners of squares and lie evenly between them. Where a picture is drawn at about the size of
its source, a run of 16 pixels of a row looks at nearly the same run of the source: up to 24 columns by 6 rows. The
rows of each column are weighed first, along the line that the run follows, then the columns, all side by side.
Elsewhere, and at the edge of the source, each pixel is weighed by itself. Which of the two it is depends on the place
in the picture alone.

The kernel is that of Keys, "Cubic convolution interpolation for digital image processing" (1981), with a = -0.75.
"""

from libc.math cimport fabs, floor, log2f

ctypedef fused Sample:
    const unsigned char
    const unsigned short
    const float

cdef struct Curve:
    float toe
    bint straight
    float white
    float stop

# Where a run begins in the source and goes on: the place of its first pixel and the way to the next; the first column
# and row that it looks at, how far beyond the second of them it begins, and how much the next place is further.
cdef struct Run:
    double x, y, dx, dy
    int column, row
    float across, along, down, slope
    bint wide, fits


cdef inline void _find(
    Run *run, const double *xs, const double *ys, Py_ssize_t columns, double share, double each, int width, int height
) noexcept nogil:
    """A run from the corners of its square, a share of it below the upper ones, in a source of a size in pixels."""
    cdef double slope, drift, first
    run.x = xs[0] + (xs[columns] - xs[0]) * share
    run.y = ys[0] + (ys[columns] - ys[0]) * share
    run.dx = (xs[1] + (xs[columns + 1] - xs[1]) * share - run.x) * each
    run.dy = (ys[1] + (ys[columns + 1] - ys[1]) * share - run.y) * each
    slope = run.dy / run.dx if run.dx > 0.5 else 2.0
    drift = (run.dx - 1) * 16
    run.column = <int>floor(run.x + (drift if drift < 0 else 0.0)) - 1
    first = run.y + slope * (run.column - run.x)
    run.row = <int>floor(first + (slope * 24 if slope < 0 else 0.0)) - 1
    run.across, run.along = <float>(run.x - run.column - 1), <float>(run.dx - 1)
    run.down, run.slope = <float>(first - run.row - 1), <float>slope
    run.wide = run.down >= 1 or run.down + 23 * run.slope >= 1
    # Far beyond the picture, where lines that are set upright meet, places have no bounds.
    run.fits = (
        fabs(run.x) < 1e6 and fabs(run.y) < 1e6 and fabs(drift) < 1.999 and fabs(slope) * 24 < 1.999
        and run.column >= 0 and run.row >= 0 and run.column + 24 <= width and run.row + 6 <= height
    )


cdef inline void _weights(float first, float step, int count, float *w) noexcept nogil:
    """Weights (4, count) of four samples at places first + k step, 0 to 1, counted from the second sample."""
    cdef float a = -0.75, cubed = 1.25, squared = 2.25, one = 1, t, s, w0, w1, w3
    cdef int k
    for k in range(count):
        t = first + step * k
        s = one - t
        w0 = a * t * s * s
        w1 = (cubed * t - squared) * t * t + one
        w3 = a * s * t * t
        w[k], w[count + k], w[2 * count + k], w[3 * count + k] = w0, w1, one - w0 - w1 - w3, w3


cdef inline void _wide_weights(float first, float step, int count, float *w) noexcept nogil:
    """Weights (6, count) of six samples at places first + k step, 0 to 3, counted from the second sample."""
    cdef float a = -0.75, cubed = 1.25, squared = 2.25, one = 1, two = 2, none = 0
    cdef float x, once, twice, t, s, w0, w1, w2, w3, w4
    cdef int k
    for k in range(count):
        x = first + step * k
        once = one if x >= one else none
        twice = one if x >= two else none
        t = x - once - twice
        s = one - t
        w0 = a * t * s * s
        w1 = (cubed * t - squared) * t * t + one
        w3 = a * s * t * t
        w2 = one - w0 - w1 - w3
        # Moved on by one sample, and by one more, where the place lies that much further.
        w4 = once * w3
        w3 += once * (w2 - w3)
        w2 += once * (w1 - w2)
        w1 += once * (w0 - w1)
        w0 -= once * w0
        w[k] = w0 - twice * w0
        w[count + k] = w1 + twice * (w0 - w1)
        w[2 * count + k] = w2 + twice * (w1 - w2)
        w[3 * count + k] = w3 + twice * (w2 - w3)
        w[4 * count + k] = w4 + twice * (w3 - w4)
        w[5 * count + k] = twice * w4


cdef inline void _weigh_run(const Run *run, float *across, float *down) noexcept nogil:
    """Weights (6, 16) of a run's columns, and (4 or 6, 24) of the rows of each."""
    _wide_weights(run.across, run.along, 16, across)
    if run.wide:
        _wide_weights(run.down, run.slope, 24, down)
    else:
        _weights(run.down, run.slope, 24, down)


cdef inline void _draw_run(
    Sample *p, Py_ssize_t width, const Run *run, const float *across, const float *down, float *out
) noexcept nogil:
    """16 values of a run, from its first sample on in a plane of a width, by its weights."""
    cdef float v[24]
    cdef int k
    if run.wide:
        for k in range(24):
            v[k] = (
                down[k] * p[k] + down[24 + k] * p[width + k] + down[48 + k] * p[2 * width + k]
                + down[72 + k] * p[3 * width + k] + down[96 + k] * p[4 * width + k] + down[120 + k] * p[5 * width + k]
            )
    else:
        for k in range(24):
            v[k] = (
                down[k] * p[k] + down[24 + k] * p[width + k] + down[48 + k] * p[2 * width + k]
                + down[72 + k] * p[3 * width + k]
            )
    for k in range(16):
        out[k] = (
            across[k] * v[k] + across[16 + k] * v[k + 1] + across[32 + k] * v[k + 2] + across[48 + k] * v[k + 3]
            + across[64 + k] * v[k + 4] + across[80 + k] * v[k + 5]
        )


cdef float _pixel(Sample *p, Py_ssize_t width, Py_ssize_t height, double x, double y) noexcept nogil:
    """The value at a place in pixels of a plane (height, width), whose edge goes on beyond it."""
    cdef Py_ssize_t column = <Py_ssize_t>floor(x), row = <Py_ssize_t>floor(y), line
    cdef Py_ssize_t at[4]
    cdef float across[4]
    cdef float down[4]
    cdef float total = 0, part
    cdef int i, j
    _weights(<float>(x - column), 0, 1, across)
    _weights(<float>(y - row), 0, 1, down)
    for i in range(4):
        at[i] = min(max(column - 1 + i, 0), width - 1)
    for j in range(4):
        line = min(max(row - 1 + j, 0), height - 1) * width
        part = 0
        for i in range(4):
            part += across[i] * p[line + at[i]]
        total += down[j] * part
    return total


cdef inline void _find_light(
    const float *light, Py_ssize_t columns, float share, float each, float *out
) noexcept nogil:
    """Factors (16,) of a run from those at the corners of its square."""
    cdef float near = light[0] + (light[columns] - light[0]) * share
    cdef float step = (light[1] + (light[columns + 1] - light[1]) * share - near) * each
    cdef int k
    for k in range(16):
        out[k] = near + step * k


cdef inline void _brighten(float *values, const float *light, const Curve *curve) noexcept nogil:
    """Give light (2, 16) back to encoded values (16,): factors on linear light, and those to the curve's power."""
    cdef float toe = curve.toe, white = curve.white, into = 1 / curve.white, one = 1, e, made, plain
    cdef float kept[16]
    cdef int k
    for k in range(16):
        e = values[k] * into
        kept[k] = e
        made = (e + toe) * light[16 + k] - toe
        plain = e * light[k] if curve.straight else made
        values[k] = (plain if plain < made else made) * white
    if curve.stop > 0:
        for k in range(16):
            if values[k] > white:  # what passes white goes on by stops
                if kept[k] > 1:
                    values[k] = kept[k] * white + curve.stop * log2f(light[k])
                else:
                    made = (values[k] * into + toe) / (one + toe)
                    values[k] = white + curve.stop * <float>2.4 * log2f(made)
    for k in range(16):
        values[k] = values[k] if values[k] < one else one


cdef inline void _store(const float *values, int start, int end, float *out) noexcept nogil:
    """Lay the values (3, 16) of a run down side by side."""
    cdef int k
    if start == 0 and end == 16:
        for k in range(16):
            out[3 * k], out[3 * k + 1], out[3 * k + 2] = values[k], values[16 + k], values[32 + k]
    else:
        for k in range(start, end):
            out[3 * k], out[3 * k + 1], out[3 * k + 2] = values[k], values[16 + k], values[32 + k]


def resampled(
    Sample[:, :, ::1] planes, tuple part, const double[:, :, :, ::1] grid, const float[:, :, ::1] light,
    tuple curve, tuple first, float[:, :, ::1] out,
):
    cdef int left = part[0], top = part[1], whole_width = part[2], whole_height = part[3]
    cdef int offset = first[0], above = first[1], spacing = first[2]
    cdef float scale = first[3], one = 1, none = 0, value
    cdef Curve shape = Curve(curve[0], curve[1], curve[2], curve[3])
    cdef Py_ssize_t height = out.shape[0], width = out.shape[1], down = planes.shape[1], across = planes.shape[2]
    cdef Py_ssize_t maps = grid.shape[0], columns = grid.shape[3]
    cdef Py_ssize_t r, cell, square, start
    cdef bint lit = light.shape[0] == 2, fits
    cdef double share, each = 1.0 / spacing
    cdef int channel, k, begin, end
    cdef float row_weights[144]
    cdef float column_weights[96]
    cdef float values[48]
    cdef float given[32]
    cdef Run runs[3]
    cdef Run *run
    with nogil:
        for r in range(height):
            square = (above + r) // spacing
            share = (above + r - square * spacing) * each
            for cell in range((offset + width + spacing - 1) // spacing):
                start = cell * spacing - offset
                begin = <int>(-start) if start < 0 else 0
                end = <int>(width - start) if width - start < spacing else spacing
                fits = spacing == 16
                for channel in range(maps):
                    run = &runs[channel]
                    _find(
                        run, &grid[channel, 0, square, cell], &grid[channel, 1, square, cell], columns, share, each,
                        whole_width, whole_height,
                    )
                    run.x, run.y, run.column, run.row = run.x - left, run.y - top, run.column - left, run.row - top
                    fits = (
                        fits and run.fits and run.column >= 0 and run.row >= 0
                        and run.column + 24 <= across and run.row + 6 <= down
                    )
                for channel in range(3):
                    run = &runs[channel if maps == 3 else 0]
                    if fits:
                        if channel < maps:
                            _weigh_run(run, column_weights, row_weights)
                        _draw_run(
                            &planes[channel, run.row, run.column], across, run, column_weights, row_weights,
                            &values[16 * channel],
                        )
                    else:
                        for k in range(begin, end):
                            values[16 * channel + k] = _pixel(
                                &planes[channel, 0, 0], across, down, run.x + run.dx * k, run.y + run.dy * k
                            )
                for k in range(48):
                    value = values[k] * scale
                    value = value if value > none else none
                    values[k] = value if value < one else one
                if lit:
                    for k in range(2):
                        _find_light(&light[k, square, cell], columns, <float>share, <float>each, &given[16 * k])
                    for channel in range(3):
                        _brighten(&values[16 * channel], given, &shape)
                _store(values, begin, end, &out[r, 0, 0] + start * 3)
