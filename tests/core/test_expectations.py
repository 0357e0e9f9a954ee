"""What a command must have made: each thing that can be asked of a file, seen to pass and seen to fail."""

from pathlib import Path

import pytest

from unified_shell.core.expectations.expectation import Comparison, ExpectedFile, ExpectedNumber
from unified_shell.core.expectations.expected_files import difference, file_trouble

TEXT = "hive,power\n220,0.5\n310,0.25\n# 12:01\n"
VOLUME = r"^310,(.*)"

# What is asked, and what is wrong with a text that does not have it.
ASKED = {
    "says": (ExpectedFile(file="a", says=("310,",)), TEXT.replace("310", "311"), "does not say '310,'"),
    "counts": (ExpectedFile(file="a", counts=((r"^\d+,", 2),)), TEXT + "400,1\n", "has 3 of"),
    "a number": (
        ExpectedFile(file="a", numbers=(ExpectedNumber(pattern=VOLUME, value=0.25, within=0.01),)),
        TEXT.replace("0.25", "0.27"),
        "has 0.27 at '^310,(.*)'; expected 0.25, give or take 0.01",
    ),
    "an exact number": (
        ExpectedFile(file="a", numbers=(ExpectedNumber(pattern=VOLUME, value=0.25),)),
        TEXT.replace("0.25", "0.2500001"),
        "expected 0.25",
    ),
    "a number that is none": (
        ExpectedFile(file="a", numbers=(ExpectedNumber(pattern=VOLUME, value=0.25, within=9),)),
        TEXT.replace("0.25", "nan"),
        "has nan at",
    ),
    "a number that is not there": (
        ExpectedFile(file="a", numbers=(ExpectedNumber(pattern=VOLUME, value=0.25, within=9),)),
        TEXT.replace("0.25", "much"),
        "has no number at",
    ),
    "the same as another": (ExpectedFile(file="a", same_as="b"), TEXT + " ", "a differs from b"),
    "size": (ExpectedFile(file="a", least_bytes=10), "x", "a has 1 bytes"),
    "anything": (ExpectedFile(file="a"), "", "a has 0 bytes"),
}


@pytest.mark.parametrize("name", ASKED)
def test_what_is_asked_of_a_file_is_seen_and_missed(name: str, tmp_path: Path) -> None:
    expected, worse, says = ASKED[name]
    assert file_trouble(expected, str(tmp_path))[0] == "a was not made"
    (tmp_path / "b").write_text(TEXT)
    (tmp_path / "a").write_text(TEXT)
    assert file_trouble(expected, str(tmp_path)) == ("", "")
    (tmp_path / "a").write_text(worse)
    assert says in file_trouble(expected, str(tmp_path))[0]


SHUFFLED = "310,0.25\n220,0.5\nhive,power\n# 12:02\n"
COMPARED = {
    (Comparison.BYTES, ""): (TEXT, TEXT + " "),
    (Comparison.LINES, "^#"): (TEXT.replace("12:01", "12:07"), TEXT.replace("0.5", "0.6")),
    (Comparison.SORTED_LINES, "^#"): (SHUFFLED, SHUFFLED.replace("220", "221")),
}


@pytest.mark.parametrize("way", COMPARED)
def test_serial_and_parallel_results_are_compared_as_said(way: tuple[Comparison, str], tmp_path: Path) -> None:
    same, other = COMPARED[way]
    expected = ExpectedFile(file="a", compare=way[0], leave_out=way[1])
    serial, parallel = tmp_path / "serial", tmp_path / "parallel"
    serial.write_text(TEXT)
    assert "was not made" in difference(expected, str(serial), str(parallel))
    parallel.write_text(same)
    assert difference(expected, str(serial), str(parallel)) == ""
    parallel.write_text(other)
    assert difference(expected, str(serial), str(parallel))
    parallel.write_text(same + "one more\n")
    assert difference(expected, str(serial), str(parallel))
    left = ExpectedFile(file="a", compare=Comparison.NOT_COMPARED)
    assert difference(left, str(serial), str(parallel)) == ""
