"""Paths' names by the rules of two systems, held against the standard library's own functions on made-up ones."""

import ntpath
import posixpath
import random

import pytest

from unified_shell.core.machine.path_rules import POSIX_RULES, WINDOWS_RULES, PathRules

CASES = 10_000
DRIVES = ("C:", "d:", "\\\\server\\share", "//Server/share", "\\\\?\\C:", "\\\\?\\UNC\\server\\share", "", "C")
NAMES = ("hive", "HIVE", "Hive", "a b", "é", "É", "日", "x.y", "con", "...", "hiveX", "~", "%PATH%", "a&b")


def made_up(chance: random.Random, *, windows: bool) -> str:
    """A path as people write them: of any kind, in any case, with either separator, with one at its end or none."""
    names = chance.choices(NAMES, k=chance.randint(0, 4))
    if not windows:
        return chance.choice(("/", "", "/")) + "/".join(names) + (chance.choice(("", "", "/")) if names else "")
    path = chance.choice(DRIVES)
    for name in names:
        path += chance.choice("\\\\\\/") + name
    return path + chance.choice(("", "", "\\", "/"))


def lies_in(path: object, place: str, parent: str) -> bool:
    """What `commonpath` says of two absolute paths."""
    assert path in (ntpath, posixpath)
    common = path.commonpath([place, parent])
    return bool(path.normcase(common) == path.normcase(path.normpath(parent)))


def unmarked(place: str) -> str:
    """Without the mark; a share with its root, which not every version of `ntpath` takes for absolute without."""
    plain = place.replace("\\\\?\\UNC\\", "\\\\").replace("\\\\?\\", "")
    drive, rest = ntpath.splitdrive(plain)
    return f"{plain}\\" if not rest and drive[:1] in ("\\", "/") else plain


@pytest.mark.parametrize("windows", [True, False])
def test_where_a_path_lies(windows: bool) -> None:
    chance, rules, path = (
        random.Random(20261127),
        WINDOWS_RULES if windows else POSIX_RULES,
        ntpath if windows else posixpath,
    )
    inside = 0
    for _ in range(CASES):
        place, parent = made_up(chance, windows=windows), made_up(chance, windows=windows)
        if chance.random() < 0.5:
            # One that may lie there, in other letters.
            place = parent.rstrip("/\\" if windows else "/") + made_up(chance, windows=False).rstrip("/")
            place = place.swapcase() if windows and chance.random() < 0.5 and "?" not in place else place
        plain, top = (unmarked(place), unmarked(parent)) if windows else (place, parent)
        absolute = path.isabs(plain) and bool(path.splitdrive(plain)[0] or not windows)
        assert rules.is_absolute(place) == absolute, place
        if not absolute or not rules.is_absolute(parent):
            continue
        expected = path.normcase(path.splitdrive(plain)[0]) == path.normcase(path.splitdrive(top)[0]) and lies_in(
            path, plain, top
        )
        assert rules.inside(place, parent) == expected, (place, parent)
        below = rules.below(place, parent)
        assert (below is not None) == expected
        if below is not None:
            inside += 1
            again = path.normcase(path.normpath(path.join(top, below)))
            assert again == path.normcase(path.normpath(plain)), (place, parent, below)
    assert inside > CASES // 10, "many of them lie there"


@pytest.mark.parametrize("rules", [WINDOWS_RULES, POSIX_RULES], ids=["windows", "posix"])
def test_no_place_lies_nowhere(rules: PathRules) -> None:
    top = "C:\\" if rules.is_windows else "/"
    for place, parent, lies in (
        ("", top, False), ("", "", False), (top, top, True), (f"{top}a", top, True), (f"{top}ab", f"{top}a", False),
        (f"{top}a", f"{top}a/", True), (f"{top}a/", f"{top}a", True), ("a", top, False),
    ):  # fmt: skip
        assert rules.inside(place, parent) == lies, (place, parent)


@pytest.mark.parametrize(
    ("name", "said"),
    [
        *((name, "") for name in ("hive", "console", "com10", "é日", "a b", "x.con", "auxiliary.py", ".hidden")),
        *((name, "a device") for name in ("con", "Aux.txt", "NUL", "com1", "lpt9.x.y", "COM\u00b9", "prn .txt")),
        *((name, "at the end") for name in ("x.", "x ", "con.")),
        *((name, "allows none of") for name in ("a:b", "a?", "", "..", "a/b", "a\\b", "a\nb", '"')),
    ],
)
def test_which_names_windows_has(name: str, said: str) -> None:
    told = WINDOWS_RULES.why_no_name(name)
    assert said in told if said else told == ""
    assert bool(POSIX_RULES.why_no_name(name)) == (name in ("", "..", "a/b"))
