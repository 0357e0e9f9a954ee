"""What a terminal shows: its width, its pager, colours only beside words, plain where that is wanted."""

import re
from pathlib import Path

import pytest
from rich.style import Style

from support.account import USH, Account
from support.terminal import Terminal
from support.wheels import wheel
from unified_shell.views.terminal.tables import STYLES, cells_of

CODES = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]")
LONG = "a-rather-long-name-of-a-project"


@pytest.fixture
def combs(account: Account, tmp_path: Path) -> Account:
    """An account with an environment of some packages, and a pager that says that it is one."""
    for number in range(12):
        wheel(
            tmp_path,
            f"comb-{number}",
            commands=(f"comb-{number} = comb:main",),
            files={"comb.py": b"def main(): ..."},
        )
    wheel(tmp_path, LONG, files={"hum.py": b""})
    account.ush("index", "add", "combs", tmp_path, "--yes")
    account.new_environment()
    account.ush("package", "get", LONG, "comb-1", "--yes")
    account.write("page", "#!/bin/sh\necho PAGED\ncat\n", 0o755)
    return account


def _shown(account: Account, *words: str, columns: int = 80, lines: int = 100, **more: str) -> str:
    size = {"COLUMNS": str(columns), "LINES": str(lines), "PAGER": str(account.home / "page"), "TERM_IS": "xterm"}
    with Terminal(["/bin/sh", "-c", 'TERM=$TERM_IS "$0" "$@"; code=$?; echo; echo "ended:$code"', USH, *words], {**account.variables, **size, **more}, account.home) as terminal:  # fmt: skip
        return terminal.wait_for("ended:").replace("\r", "")


@pytest.mark.parametrize("columns", [40, 80, 200])
def test_no_word_of_a_table_is_broken_and_no_line_is_wider(combs: Account, columns: int) -> None:
    shown = CODES.sub("", _shown(combs, "package", "list", columns=columns))
    table = shown.partition("there is:")[2].partition("ended:")[0]
    for word in (LONG, "comb-1", "requested", "1.0", "combs"):
        assert re.search(rf"(?<!\S){re.escape(word)}(?!\S)", table), (word, table)
    assert all(cells_of(line.rstrip()) <= columns for line in table.splitlines()), table


def test_a_long_list_goes_through_the_pager_and_nothing_else_does(combs: Account) -> None:
    assert "PAGED" in _shown(combs, "help", "environments", lines=8)
    assert "PAGED" not in _shown(combs, "help", "environments", lines=100)
    assert "PAGED" not in _shown(combs, "help", "environments", "--plain", lines=8)
    assert "PAGED" not in _shown(combs, "package", "get", "comb-2", "--plan", lines=3), "a plan is asked about"
    piped = combs.ush("help", "environments", more={"LINES": "8", "PAGER": str(combs.home / "page")})
    assert "PAGED" not in piped.out
    # A pager that leaves early is no fault.
    combs.write("page", "#!/bin/sh\nexit 0\n", 0o755)
    assert "ended:0" in _shown(combs, "help", "environments", lines=8)


def test_colour_is_only_beside_words_and_plain_moves_nothing(combs: Account) -> None:
    words = ("package", "get", "comb-3", "--yes")
    colourful = _shown(combs, "package", "get", "comb-3", "--plan")
    assert "\x1b[32madd" in colourful
    colourless = _shown(combs, "package", "get", "comb-3", "--plan", NO_COLOR="1")
    assert not re.search(r"\x1b\[[0-9;]*3[0-9]m", colourless)
    assert CODES.sub("", colourless).split() == CODES.sub("", colourful).split(), "no word is told by a colour alone"
    assert "\x1b" not in _shown(combs, *words, "--plain").partition("ended:")[0]
    combs.ush("undo", "--yes")
    assert "\x1b" not in _shown(combs, "package", "list", USH_PLAIN="1")
    assert "\x1b" not in _shown(combs, "--plain", "package", "list")
    dumb = _shown(combs, "package", "get", "comb-3", "--yes", TERM_IS="dumb")
    assert not re.search(r"\x1b\[[0-9;?]*[A-HJKSTfhl]", dumb), (
        "a terminal that cannot move its cursor is not asked to"
    )


def test_every_colour_can_be_read_on_a_light_ground_and_on_a_dark_one() -> None:
    def luminance(*parts: float) -> float:
        # The relative luminance of WCAG 2.
        linear = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    for word, style in STYLES.items():
        color = Style.parse(style).color
        assert color is not None
        light = luminance(*(part / 255 for part in color.get_truecolor()))
        assert 1.05 / (light + 0.05) >= 4.5, f"{word} on white"
        assert (light + 0.05) / 0.05 >= 3.8, f"{word} on black"


def test_wide_letters_stand_below_each_other_and_names_from_right_to_left_stand_alone(combs: Account) -> None:
    for name in ("蜂巣", "כוורת"):
        combs.ush("environment", "new", name, "--yes")
    piped = combs.ush("environment", "list").out.splitlines()
    places = [cells_of(line[: line.index("3.")]) for line in piped if re.search(r"\b3\.\d", line)]
    assert len(places) == 3
    assert len(set(places)) == 1, piped
    assert "\u2068" not in "".join(piped), "what goes into a file is the name alone"
    assert "\u2068כוורת\u2069" in _shown(combs, "environment", "list")


def test_taking_away_is_not_agreed_to_by_return_alone(combs: Account) -> None:
    for words, code in ((["package", "drop", "comb-1"], 3), (["package", "get", "comb-4"], 0)):
        with Terminal([USH, *words], combs.variables, combs.home) as terminal:
            terminal.wait_for("Go ahead?")
            terminal.type("")
            assert terminal.ended() == code
    names = [one["name"] for one in combs.ush("package", "list", "--json").json()["items"]]
    assert "comb-1" in names
    assert "comb-4" in names
