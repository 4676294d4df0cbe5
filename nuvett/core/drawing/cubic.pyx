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

from libc.math cimport fabs, floor
from libc.string cimport memset

cdef extern from *:
    """
    #include "nuvett/core/drawing/cubic.h"
    """
    void nv_weights(float first, float step, int count, float *w) noexcept nogil
    void nv_wide_weights(float first, float step, int count, float *w) noexcept nogil
    void nv_draw_run(
        int kind, const void *from_, long width, const float *across, int columns, const float *down, int rows,
        float *out
    ) noexcept nogil
    ctypedef struct nv_given:
        float near[2]
        float step[2]
        float toe, straight, white, stop
    void nv_lay_run(
        const float *values, float scale, const nv_given *by, int lit, int begin, int end, float *red, float *green,
        float *blue
    ) noexcept nogil

ctypedef fused Sample:
    const unsigned char
    const unsigned short
    const float

# Where a run begins in the source and goes on: the place of its first pixel and the way to the next; the first column
# and row that it looks at, how far beyond the second of them it begins, and how much the next place is further; how many
# columns and rows each pixel is weighed of.
cdef struct Run:
    double x, y, dx, dy
    int column, row
    float across, along, down, slope
    int columns, rows
    bint fits


cdef inline int _looked_at(float first, float last) noexcept nogil:
    """Samples that weigh anything where places lie from one to another beyond the second."""
    return 4 if first >= 0 and first < 1 and last >= 0 and last < 1 else 6


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
    run.columns = _looked_at(run.across, run.across + 15 * run.along)
    run.rows = _looked_at(run.down, run.down + 23 * run.slope)
    # Far beyond the picture, where lines that are set upright meet, places have no bounds.
    run.fits = (
        fabs(run.x) < 1e6 and fabs(run.y) < 1e6 and fabs(drift) < 1.999 and fabs(slope) * 24 < 1.999
        and run.column >= 0 and run.row >= 0 and run.column + 24 <= width and run.row + 6 <= height
    )


cdef inline void _pixel_weights(float t, float *w) noexcept nogil:
    """Weights (4,) of four samples at a place 0 to 1 beyond the second."""
    cdef float a = -0.75, cubed = 1.25, squared = 2.25, one = 1, s = 1 - t
    w[0] = a * t * s * s
    w[1] = (cubed * t - squared) * t * t + one
    w[3] = a * s * t * t
    w[2] = one - w[0] - w[1] - w[3]


cdef inline void _weigh_run(const Run *run, float *across, float *down) noexcept nogil:
    """Weights (4 or 6, 16) of a run's columns, and (4 or 6, 24) of the rows of each."""
    if run.columns == 4:
        nv_weights(run.across, run.along, 16, across)
    else:
        nv_wide_weights(run.across, run.along, 16, across)
    if run.rows == 4:
        nv_weights(run.down, run.slope, 24, down)
    else:
        nv_wide_weights(run.down, run.slope, 24, down)


cdef float _pixel(Sample *p, Py_ssize_t width, Py_ssize_t height, double x, double y) noexcept nogil:
    """The value at a place in pixels of a plane (height, width), whose edge goes on beyond it."""
    cdef Py_ssize_t column = <Py_ssize_t>floor(x), row = <Py_ssize_t>floor(y), line
    cdef Py_ssize_t at[4]
    cdef float across[4]
    cdef float down[4]
    cdef float total = 0, part
    cdef int i, j
    _pixel_weights(<float>(x - column), across)
    _pixel_weights(<float>(y - row), down)
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
    const float *light, Py_ssize_t columns, float share, float each, float *near, float *step
) noexcept nogil:
    """Factors of a run from those at the corners of its square: the first, and the way to the next."""
    near[0] = light[0] + (light[columns] - light[0]) * share
    step[0] = (light[1] + (light[columns + 1] - light[1]) * share - near[0]) * each


def resampled(
    Sample[:, :, ::1] planes, tuple part, const double[:, :, :, ::1] grid, const float[:, :, ::1] light,
    tuple curve, tuple first, float[:, :, ::1] out,
):
    cdef int left = part[0], top = part[1], whole_width = part[2], whole_height = part[3]
    cdef int offset = first[0], above = first[1], spacing = first[2]
    cdef float scale = first[3]
    cdef nv_given given
    cdef Py_ssize_t height = out.shape[1], width = out.shape[2], down = planes.shape[1], across = planes.shape[2]
    cdef Py_ssize_t maps = grid.shape[0], columns = grid.shape[3]
    cdef Py_ssize_t r, cell, square, start
    cdef bint lit = light.shape[0] == 2, fits
    cdef double share, each = 1.0 / spacing
    cdef int channel, k, begin, end
    cdef float row_weights[144]
    cdef float column_weights[96]
    cdef float values[48]
    cdef Run runs[3]
    cdef Run *run
    given.toe, given.straight, given.white, given.stop = curve
    memset(row_weights, 0, sizeof(row_weights))
    memset(column_weights, 0, sizeof(column_weights))
    given.near[0] = given.near[1] = given.step[0] = given.step[1] = 0
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
                        nv_draw_run(
                            sizeof(Sample), &planes[channel, run.row, run.column], across, column_weights, run.columns,
                            row_weights, run.rows, &values[16 * channel],
                        )
                    else:
                        for k in range(begin, end):
                            values[16 * channel + k] = _pixel(
                                &planes[channel, 0, 0], across, down, run.x + run.dx * k, run.y + run.dy * k
                            )
                if lit:
                    for k in range(2):
                        _find_light(
                            &light[k, square, cell], columns, <float>share, <float>each, &given.near[k], &given.step[k]
                        )
                nv_lay_run(
                    values, scale, &given, lit, begin, end, &out[0, r, 0] + start, &out[1, r, 0] + start,
                    &out[2, r, 0] + start,
                )
