"""How a series is arranged: order, set-ups and hero are changed in named steps, each undone and done again."""

import pytest

from nuvett.core.errors import InvalidChangeError
from nuvett.services.platform.studio import Studio
from nuvett.services.series import arranging, catalogue, lighting, setups
from nuvett.store import models
from tests.conftest import drain


def arrangement(studio: Studio, slug: str) -> tuple[list[tuple[str, str]], str | None]:
    """Frames in order with the name of their set-up, and the hero's name."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frames = catalogue.ready_frames(session, series.id)
        names = {row.id: row.name for row in session.query(models.SetUpRow).filter_by(series_id=series.id)}
        hero = next((frame.name for frame in frames if frame.id == series.hero_id), None)
        return [(frame.name, names[frame.setup_id]) for frame in frames if frame.setup_id], hero


def change(studio: Studio, slug: str, words: str) -> None:
    """One change of a kind, by its words."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frames = catalogue.ready_frames(session, series.id)
        with arranging.arranged(session, studio, series, words):
            if words == "joined":
                setups.join_all(session, series)
            elif words == "split":
                setups.begin_setup(session, series, frames[1])
            elif words == "hero":
                lighting.name_hero(session, studio, series, frames[2])
            elif words == "named" and frames[0].setup_id:
                setups.rename_setup(session, series, frames[0].setup_id, "By the door")
            elif words == "by name":
                setups.order_by(session, series, "name")


def walk(studio: Studio, slug: str, forward: bool) -> str:
    with studio.database.session() as session:
        return arranging.walk_arrangement(session, studio, catalogue.find_series(session, slug), forward)


def test_each_change_of_the_arrangement_is_undone_and_done_again(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        frames = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)
        frames[-1].name = "A-first"
    changes = ["split", "hero", "named", "by name", "joined"]
    states = [arrangement(studio, slug)]
    for words in changes:
        change(studio, slug, words)
        states.append(arrangement(studio, slug))
        assert states[-1] != states[-2], words
    assert states[4][0][0] == ("A-first", "Set-up 1")
    assert len({setup for _, setup in states[-1][0]}) == 1 and states[-1][1]
    for index in range(len(changes), 0, -1):
        assert walk(studio, slug, forward=False) == changes[index - 1]
        assert arrangement(studio, slug) == states[index - 1]
    with pytest.raises(InvalidChangeError, match="nothing to undo"):
        walk(studio, slug, forward=False)
    for index, words in enumerate(changes, start=1):
        assert walk(studio, slug, forward=True) == words
        assert arrangement(studio, slug) == states[index]
    with pytest.raises(InvalidChangeError, match="one set-up already"):
        change(studio, slug, "joined")


def test_light_is_evened_anew_where_an_undo_changes_what_it_follows(studio: Studio, slug: str) -> None:
    def due() -> bool:
        with studio.database.session() as session:
            return catalogue.find_series(session, slug).light_due

    drain(studio)
    change(studio, slug, "joined")
    assert due()
    drain(studio)
    assert not due()
    change(studio, slug, "named")
    walk(studio, slug, forward=False)
    assert not due()  # a name is no matter of light
    walk(studio, slug, forward=False)
    assert due()


def test_a_frame_that_went_since_is_left_alone_by_an_undo(studio: Studio, slug: str) -> None:
    before = arrangement(studio, slug)
    change(studio, slug, "joined")
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        session.delete(catalogue.ready_frames(session, series.id)[0])
    walk(studio, slug, forward=False)
    assert [setup for _, setup in arrangement(studio, slug)[0]][-1] == before[0][-1][1]
    assert len(arrangement(studio, slug)[0]) == len(before[0]) - 1
