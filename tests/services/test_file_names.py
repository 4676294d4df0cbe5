"""Names of finished files can lie side by side in one folder of any system."""

from datetime import datetime

import pytest

from nuvett.core.errors import InvalidChangeError
from nuvett.services.delivery.file_names import Labelled, Pattern, file_names


def names(*given: str, pattern: str = "{name}") -> list[str]:
    return file_names([Pattern(pattern, ".jpg")], "S", [Labelled(name, 3) for name in given]).names


@pytest.mark.parametrize("pattern", ["{nam}", "{", "{name", "{0}", "name}", "{{name}}"])
def test_name_patterns_that_mean_nothing_are_refused(pattern: str) -> None:
    with pytest.raises(InvalidChangeError, match="pattern"):
        names("a", pattern=pattern)


def test_fields_are_filled_in_once_and_what_they_hold_is_not_read_as_fields() -> None:
    assert names("a", "{series}", pattern="{series}-{number} {name} v{version}") == [
        "S-01 a v3.jpg",
        "S-02 {series} v3.jpg",
    ]


def test_unsafe_signs_reserved_words_and_ends_are_replaced() -> None:
    assert names("a/b:c", "...", "con", "LPT1.scan", "x\u202ey", "a\ud800b") == [
        "a-b-c.jpg",
        "02.jpg",
        "_con.jpg",
        "_LPT1.scan.jpg",
        "x-y.jpg",
        "a?b.jpg".replace("?", "-"),
    ]


def test_names_that_some_system_takes_for_one_get_a_number() -> None:
    assert names("x", "X", "x") == ["x.jpg", "X-2.jpg", "x-3.jpg"]
    composed, apart = "caf\u00e9", "cafe\u0301"
    assert names(composed, apart) == [f"{composed}.jpg", f"{composed}-2.jpg"]
    assert names("Straße", "STRASSE", "ﬁn", "fin")[1::2] == ["STRASSE-2.jpg", "fin-2.jpg"]


def test_long_names_keep_whole_letters_and_their_numbers() -> None:
    long = names("ä" * 150, "ä" * 150)
    assert all(len(name.encode()) <= 200 for name in long)
    assert long[0].endswith("ä.jpg") and long[1].endswith("ä-2.jpg")


def test_every_field_stands_for_what_it_says() -> None:
    frame = Labelled("AT-0107", 2, "black-and-white", datetime(2026, 9, 18, 9, 5))
    plain = Labelled("Pot", 2)
    pattern = Pattern("{date} {time} {original} {number} {variant}", ".tif", start=98, digits=3)
    assert file_names([pattern], "S", [frame, plain]).names == [
        "2026-09-18 0905 0107 098 black-and-white.tif",
        "undated   099.tif",
    ]
    assert file_names([Pattern("{number}", ".tif", start=98)], "S", [plain] * 3).names == [
        "098.tif",
        "099.tif",
        "100.tif",
    ]


def test_folders_are_made_by_pattern_and_lead_nowhere_else() -> None:
    frame = Labelled("a/b", taken=datetime(2026, 9, 18))
    for folder, wanted in (
        ("web/{date}", "web/2026-09-18/"),
        ("../../etc", "etc/"),
        ("/{name}/", "a-b/"),
        ("x/ . /con", "x/_con/"),
        ("/".join("abcdefgh"), "a/b/c/d/e/f/"),
    ):
        assert file_names([Pattern("p", ".jpg", folder)], "S", [frame]).names == [f"{wanted}p.jpg"]


def test_kinds_of_file_share_a_folder_only_while_their_names_differ() -> None:
    both = [Pattern("{name}", ".jpg"), Pattern("{name}", ".jpg"), Pattern("{name}", ".tif")]
    named = file_names(both, "S", [Labelled("a"), Labelled("b")])
    assert named.names == ["a.jpg", "a-2.jpg", "a.tif", "b.jpg", "b-2.jpg", "b.tif"] and named.equal == 2
    apart = [Pattern("{name}", ".jpg"), Pattern("{name}", ".jpg", "web")]
    assert file_names(apart, "S", [Labelled("a")]).names == ["a.jpg", "web/a.jpg"]
