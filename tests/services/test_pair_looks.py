"""Looks worked out from before and after of the same pictures: on trial until they are kept."""

import cv2
import numpy as np
import pytest

from nuvett.core.book.kept import Use
from nuvett.core.errors import (
    FileError,
    InvalidChangeError,
    PairError,
)
from nuvett.services.lookbook import (
    book,
    book_list,
    pair_looks,
    trials,
)
from nuvett.services.lookbook.pair_looks import PairFiles
from nuvett.services.platform.blobs import sweep
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from tests.services.conftest import FRAMES


@pytest.fixture
def pair() -> PairFiles:
    before = cv2.imread(str(FRAMES[0]))
    after = np.clip(255 * (0.05 + 0.9 * np.power(before / 255.0, [1.0, 1.25, 1.15])), 0, 255).astype(np.uint8)
    encoded = cv2.imencode(".png", after)[1].tobytes()
    return PairFiles(("before.jpg", FRAMES[0].read_bytes()), ("Tables of last year.png", encoded))


def test_a_look_worked_out_from_a_pair_is_on_trial_until_it_is_kept(studio: Studio, slug: str, pair: PairFiles) -> None:
    look_id = pair_looks.work_out(studio, [pair])
    with studio.database.session() as session:
        assert not book_list.entries(session, book_list.BookFilter())
        assert len(book_list.entries(session, book_list.BookFilter("trial"))) == 1 == book_list.counts(session).trial
        (shown,) = book_list.pairs_of(session, look_id)
        assert shown.words.startswith("shown alike; ") and studio.blobs.exists(shown.veil)
        found = book_list.found_of(session, look_id)
        assert found is not None and found.residual < 1.5 and 0.01 < found.coverage < 0.4 and len(found.unseen) > 20
        ground, version = (
            trials.ground_of(session, catalogue.find_series(session, slug)),
            book.version_of(session, look_id),
        )
    aimed = trials.aimed_with(ground, version, Use())
    plan = studio.bench.planner.plan(ground.facts, 2, aimed)
    drawn = studio.bench.pictures.drawn(ground.facts[2], plan, 300).astype(int)
    came = studio.bench.sources.view(ground.facts[2].view, 300) / 255
    wanted = np.clip(255 * (0.05 + 0.9 * np.power(came, [1.15, 1.25, 1.0])), 0, 255)
    even = plan.group("light").operations
    assert np.abs(drawn - wanted).mean() < (8 if even else 4)
    with studio.database.session() as session:
        row = book.find_kept(session, look_id)
        with pytest.raises(InvalidChangeError, match="Keep this look first"):
            book.set_state(row, book.AWAY)
        book.keep_trial(session, row, {"name": "Last year", "group": "Tables"})
        session.flush()
        assert [e.name for e in book_list.entries(session, book_list.BookFilter(group="Tables"))] == ["Last year"]
        with pytest.raises(InvalidChangeError, match="kept already"):
            book.keep_trial(session, row, {"name": "Again"})


def test_pairs_that_cannot_be_used_are_refused_by_name_and_one_left_on_trial_leaves_nothing(
    studio: Studio, pair: PairFiles
) -> None:
    with pytest.raises(PairError, match=r"before\.jpg and other\.jpg: .*same scene"):
        pair_looks.work_out(studio, [PairFiles(pair.before, ("other.jpg", FRAMES[3].read_bytes()))])
    with pytest.raises(FileError, match=r"list\.jpg: "):
        pair_looks.work_out(studio, [PairFiles(("list.jpg", b"milk"), pair.after)])
    with pytest.raises(PairError, match="1 to 12 pairs"):
        pair_looks.work_out(studio, [])
    look_id = pair_looks.work_out(studio, [pair])
    with studio.database.session() as session:
        names = book.delete_kept(session, book.find_kept(session, look_id))
    sweep(studio, names)
    assert not names & studio.blobs.names()
