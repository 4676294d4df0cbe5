"""Names of finished files can lie side by side in one folder of any system."""

import pytest

from nuvett.core.errors import InvalidChangeError
from nuvett.services.file_names import file_names


def names(*given: str, pattern: str = "{name}") -> list[str]:
    return file_names(pattern, ".jpg", "S", [(name, 3) for name in given])


@pytest.mark.parametrize("pattern", ["{nam}", "{", "{name", "{0}"])
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
