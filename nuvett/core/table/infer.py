"""A lookup table worked out from before/after pairs of the same picture."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import cg

from nuvett.core.errors import PairError
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.table.broad import broad_look
from nuvett.core.table.edits import local_edits
from nuvett.core.table.table import check_table, grid
from nuvett.core.types import Encoded01, Floats

SIZE = 33
_SMOOTHNESS = 0.02  # weight of second differences against one seen pixel per cell on average
_BROAD = 2e-5  # pull toward the broad look, felt only where nothing was seen
_ROUNDS = (60, 60, 200)  # steps of solving in each round of reweighting; only the last one has to be exact
_BLOCK = 16  # pixels a side of the blocks that local agreement is judged on
_LOCAL_EDIT = 3.0  # mean CIEDE2000 of a block, beyond what the rest shows, that points to a local edit
_MAX_PIXELS = 120_000
_MIN_LIKENESS = 0.35  # correlation of edges below which two pictures are not of the same scene


@dataclass(frozen=True)
class Inference:
    """A table and how far to trust it.

    table : (33, 33, 33, 3) on encoded sRGB
    residual : mean CIEDE2000 between the table's result and the after picture, over pixels that agree locally
    coverage : share of the colour cube's cells that pixels were seen in, 0 to 1
    local : share of the picture that seems to have been edited locally, 0 to 1
    seen : (33, 33, 33) whether anything was seen near each point of the table
    """

    table: Floats
    residual: float
    coverage: float
    local: float
    seen: NDArray[np.bool_]

    @property
    def warnings(self) -> tuple[str, ...]:
        """What a person should know before using the table."""
        found = []
        if self.local > 0.02:
            found.append(f"About {self.local:.0%} of the picture was changed locally, which a table cannot carry.")
        if self.residual > 2:
            found.append(f"The table misses the after picture by {self.residual:.1f} CIEDE2000 on average.")
        if self.coverage < 0.05:
            found.append("Few colours were seen; most of the table is a guess. Add pairs with other colours.")
        return tuple(found)


def register(before: Encoded01, after: Encoded01) -> Encoded01:
    """The after picture (H, W, 3), moved so that it lies on the before picture (H, W, 3).

    Phase correlation of edge strength (Kuglin and Hines 1975). Raises PairError when the two do not show the same.
    """
    if before.shape != after.shape:
        raise PairError("The two pictures of a pair have different proportions.")
    edges = [_edges(picture) for picture in (before, after)]
    window = cv2.createHanningWindow((before.shape[1], before.shape[0]), cv2.CV_32F)
    (dx, dy), _ = cv2.phaseCorrelate(edges[0], edges[1], window)
    moved = after
    if max(abs(dx), abs(dy)) > 0.2:
        matrix = np.array([[1, 0, dx], [0, 1, dy]], dtype=np.float32)
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        size = (before.shape[1], before.shape[0])
        moved = Encoded01(np.asarray(cv2.warpAffine(after, matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)))
    flat = [edges[0].ravel(), _edges(moved).ravel()]
    if min(float(found.std()) for found in flat) <= 0:
        raise PairError  # one of them shows nothing at all
    likeness = float(np.corrcoef(flat[0], flat[1])[0, 1])
    if not likeness > _MIN_LIKENESS:
        raise PairError
    return moved


def _edges(picture: Encoded01) -> Floats:
    grey = cv2.GaussianBlur(picture.mean(axis=2).astype(np.float32), (0, 0), 1.2)
    across, down = cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)
    return np.asarray(np.sqrt(cv2.magnitude(across, down)), dtype=np.float32)


def _design(colours: Encoded01, size: int) -> sparse.csr_matrix:
    """Trilinear weights (N, size^3) of colours (N, 3)."""
    position = np.clip(colours, 0, 1).astype(np.float64) * (size - 1)
    lower = np.minimum(position.astype(np.int64), size - 2)
    fraction = position - lower
    columns, weights = [], []
    for corner in range(8):
        step = np.array([corner >> 2 & 1, corner >> 1 & 1, corner & 1])
        weights.append(np.where(step == 1, fraction, 1 - fraction).prod(axis=1))
        columns.append(((lower + step) * [size * size, size, 1]).sum(axis=1))
    count = len(colours)
    rows = np.tile(np.arange(count), 8)
    return sparse.csr_matrix((np.concatenate(weights), (rows, np.concatenate(columns))), shape=(count, size**3))


def _smoothness(size: int) -> sparse.csr_matrix:
    """Sum of squared second differences along the three axes, as a (size^3, size^3) matrix."""
    bend = sparse.diags_array([1.0, -2.0, 1.0], offsets=[0, 1, 2], shape=(size - 2, size))
    line, one = (bend.T @ bend).tocsr(), sparse.eye_array(size, format="csr")
    along = [(line, one, one), (one, line, one), (one, one, line)]
    return sum(sparse.kron(sparse.kron(a, b), c) for a, b, c in along).tocsr()


def infer_table(pairs: list[tuple[Encoded01, Encoded01]]) -> Inference:
    """Table of registered pairs of encoded sRGB pictures (H, W, 3).

    Regularised regression: trilinear weights on the seen pixels, second differences kept small, the pair's broad look
    (`broad_look`) where nothing was seen; pixels that do not agree with the table or whose surroundings do not are
    weighed down (Huber 1964).
    Raises PairError when there is nothing to work from.
    """
    if not pairs:
        raise PairError("At least one before/after pair is needed.")
    step = max(1, int(np.ceil(np.sqrt(sum(b[..., 0].size for b, _ in pairs) / _MAX_PIXELS))))
    cut = [(b[::step, ::step], a[::step, ::step]) for b, a in pairs]
    before = np.concatenate([b.reshape(-1, 3) for b, _ in cut])
    after = np.concatenate([a.reshape(-1, 3) for _, a in cut])
    design = _design(Encoded01(before), SIZE)
    penalty = _SMOOTHNESS * len(before) / SIZE**2 * _smoothness(SIZE)
    penalty = penalty + _BROAD * len(before) / SIZE**2 * sparse.eye_array(SIZE**3, format="csr")
    labs = [linear_to_oklab(to_linear(np.clip(p, 0, 1))) for p in (before, after)]
    even, own = grid(SIZE).reshape(-1, 3), np.zeros((SIZE**3, 3))
    shapes = [b.shape[:2] for b, _ in cut]
    everywhere = ~local_edits(labs[0], labs[1], shapes)
    weight = everywhere.astype(np.float64)
    for most in _ROUNDS:
        broad = broad_look(labs[0], labs[1], weight).encoded(Encoded01(even)) - even
        own = _solve(design, penalty, weight, after - before - design @ broad, own, most)
        change = broad + own
        miss = np.linalg.norm(before + design @ change - after, axis=1)
        weight = _agreement(miss, shapes) * everywhere
    error = difference(*(to_linear(np.clip(p, 0, 1).astype(np.float32)) for p in (before + design @ change, after)))
    agreeing = weight > 0.5
    seen = np.asarray(design.sum(axis=0)).reshape(SIZE, SIZE, SIZE) > 0.5
    table = np.clip(grid(SIZE) + change.reshape(SIZE, SIZE, SIZE, 3), 0, 1).astype(np.float32)
    return Inference(
        table=check_table(table),
        residual=float(error[agreeing].mean()) if agreeing.any() else float(error.mean()),
        coverage=float(seen.mean()),
        local=max(float(1 - everywhere.mean()), _locally_edited(error, shapes)),
        seen=seen,
    )


def _solve(
    design: sparse.csr_matrix,
    penalty: sparse.csr_matrix,
    weight: NDArray[np.float64],
    wanted: Floats,
    start: NDArray[np.float64],
    most: int,
) -> NDArray[np.float64]:
    weighed = design.multiply(weight[:, None]).tocsr()
    normal = (design.T @ weighed + penalty).tocsr()
    right = weighed.T @ wanted.astype(np.float64)
    preconditioner = sparse.diags_array(1 / normal.diagonal())
    found = [cg(normal, right[:, c], start[:, c], rtol=1e-4, maxiter=most, M=preconditioner)[0] for c in range(3)]
    return np.stack(found, axis=1)


def _agreement(miss: NDArray[np.float64], shapes: list[tuple[int, int]]) -> NDArray[np.float64]:
    """Weight of each pixel: Huber's for its own miss, times one for the median miss of its surroundings."""
    scale = 1.4826 * float(np.median(miss)) + 0.004
    own = np.minimum(1, 2 * scale / np.maximum(miss, 1e-9))
    around, at = np.empty_like(own), 0
    for height, width in shapes:
        part = miss[at : at + height * width].reshape(height, width).astype(np.float32)
        around[at : at + height * width] = cv2.blur(part, (_BLOCK // 2 + 1, _BLOCK // 2 + 1)).ravel()
        at += height * width
    return np.asarray(own * np.minimum(1, (3 * scale / np.maximum(around, 1e-9)) ** 2))


def _locally_edited(error: NDArray[np.float64], shapes: list[tuple[int, int]]) -> float:
    """Share of blocks whose mean error stands out from the rest's."""
    means, at = [], 0
    for height, width in shapes:
        part = error[at : at + height * width].reshape(height, width)
        rows, columns = max(1, height // _BLOCK), max(1, width // _BLOCK)
        means.append(cv2.resize(part.astype(np.float32), (columns, rows), interpolation=cv2.INTER_AREA).ravel())
        at += height * width
    blocks = np.concatenate(means)
    return float((blocks > np.median(blocks) * 3 + _LOCAL_EDIT).mean())
