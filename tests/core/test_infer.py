"""Tables worked out from before/after pairs."""

import numpy as np
import pytest

from nuvett.core.drawing.renderer import Renderer
from nuvett.core.errors import PairError
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.compile import compile_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.table.infer import Inference, infer_table, register
from nuvett.core.table.table import grid
from tests.conftest import DEMO, load_rgb

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def renderer(photo: np.ndarray, still: np.ndarray) -> Renderer:
    own, target = (
        measure(linear_to_oklab(stratified_sample(to_linear((p / 255).astype(np.float32))))) for p in (photo, still)
    )
    plan: FramePlan = plan_frame(own, aim_of_statistics(target), Look())
    return Renderer(compile_plan(plan))


def encoded(picture: np.ndarray) -> np.ndarray:
    return (picture / np.iinfo(picture.dtype).max).astype(np.float32)


def infer(before: np.ndarray, after: np.ndarray) -> Inference:
    return infer_table([(encoded(before), register(encoded(before), encoded(after)))])


def test_the_look_is_found_again_and_holds_on_another_picture(renderer: Renderer, photo: np.ndarray) -> None:
    found = infer(photo, renderer.picture(photo))
    assert found.residual < 0.6 and found.local == 0 and not found.warnings
    other = load_rgb(DEMO / "frames" / "AT-0101.jpg")[::4, ::4]
    ours, truth = (encoded(r.picture(other, 16)) for r in (Renderer(found.table), renderer))
    assert difference(to_linear(ours), to_linear(truth)).mean() < 0.5


def test_colours_that_were_not_seen_get_the_looks_tone_and_tint(photo: np.ndarray) -> None:
    def grade(colours: np.ndarray) -> np.ndarray:
        return np.asarray(0.1 + 0.8 * colours ** [1.2, 1.4, 1.2], dtype=np.float32)

    found = infer_table([(encoded(photo), grade(encoded(photo)))])
    unseen = grid(33)[~found.seen]
    made, wanted, untouched = (to_linear(np.clip(c, 0, 1)) for c in (found.table[~found.seen], grade(unseen), unseen))
    assert difference(made, wanted).mean() < 0.5 * difference(untouched, wanted).mean()


def test_the_identity_is_found_where_seen_and_kept_where_not(photo: np.ndarray) -> None:
    found = infer(photo, photo)
    assert np.abs(found.table - grid(33)).max() < 0.02
    assert 0.005 < found.coverage < 0.5 and not found.seen[32, 0, 32]


def test_a_shifted_pair_is_laid_over_each_other_first(renderer: Renderer, photo: np.ndarray) -> None:
    shifted = np.roll(renderer.picture(photo), (2, 3), axis=(0, 1))
    assert infer(photo, shifted).residual < 1.5


def test_a_local_edit_is_seen_said_and_kept_out_of_the_table(renderer: Renderer, photo: np.ndarray) -> None:
    after = renderer.picture(photo)
    edited = after.copy()
    edited[60:110, 100:180] = 255 - edited[60:110, 100:180] // 2
    found = infer(photo, edited)
    assert 0.03 < found.local < 0.3 and "locally" in found.warnings[0]
    clean = encoded(Renderer(found.table).picture(photo, 16))
    assert difference(to_linear(clean), to_linear(encoded(after))).mean() < 1.5


def test_pictures_of_different_things_are_refused(photo: np.ndarray) -> None:
    other = load_rgb(DEMO / "frames" / "AT-0105.jpg")[::4, ::4][:200, :300]
    with pytest.raises(PairError):
        infer(photo, other)
    with pytest.raises(PairError, match="proportions"):
        register(encoded(photo), encoded(photo[:100]))
    with pytest.raises(PairError):
        infer_table([])
