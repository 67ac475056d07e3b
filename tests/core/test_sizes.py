"""Cable sizes as people write them."""

import pytest

from mavrik.core.catalogue.conductor import SizeSystem, parse_size


@pytest.mark.parametrize(
    ("text", "label"),
    [
        ("2 AWG", "2 AWG"), ("2awg", "2 AWG"), ("AWG 2", "2 AWG"), ("1/0", "1/0 AWG"), ("0 AWG", "1/0 AWG"), ("00", "2/0 AWG"),
        ("0000 AWG", "4/0 AWG"), ("4/0 awg", "4/0 AWG"), ("35 mm2", "35 mm2"), ("35mm²", "35 mm2"), ("2,5 mm2", "2.5 mm2"), (" 16  mm2 ", "16 mm2"),
    ],
)  # fmt: skip
def test_common_ways_to_write_a_size(text: str, label: str) -> None:
    size = parse_size(text)
    assert size.label == label
    assert parse_size(size.label) == size


@pytest.mark.parametrize(
    "text",
    ["33 mm2", "0 mm2", "-4 AWG", "5/0", "0/0", "21 AWG", "40 AWG", "", "thick", "35", "99 AWG", "1e3 mm2", "2 AWG; drop table"],
)
def test_sizes_that_are_not_made_are_refused_in_words(text: str) -> None:
    with pytest.raises(ValueError, match=r"AWG|mm2"):
        parse_size(text)


def test_one_aught_is_larger_than_one() -> None:
    assert parse_size("1/0 AWG").area_mm2 > parse_size("1 AWG").area_mm2
    assert parse_size("35 mm2").system is SizeSystem.METRIC
