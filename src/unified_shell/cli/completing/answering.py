"""Answers what may be typed next, for each shell in its own form: a candidate a line, with what it is about where that is shown.

`ush complete SHELL [WORD...]`: the words behind `ush`, the last one up to the cursor. `:files` and `:folders` let the shell
itself complete names of the file system.
"""

import io
import json
import os
import shlex
import sys

from unified_shell.core.machine.user_folders import session_variables

from .names import folders_of_person, names_of
from .words_before import Wanted, wanted_word

__all__ = ["answer", "words_of_line"]

SPECIAL = frozenset(" \t'\"\\$`&|;<>()*?[]#~!{}")
# These are completed by the shell's own means, where it can.
FROM_SHELL = {"files": ":files", "folders": ":folders"}
LONGEST_ABOUT = 70


def answer(words: list[str]) -> int:
    """Write the candidates for these words and return an exit code; anything unforeseen is no candidate at all."""
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(encoding="utf-8", errors="surrogateescape")
    shell, words = (words[0], words[1:]) if words else ("", [])
    last = ""
    if shell == "tcsh":
        words = words_of_line(session_variables().get("COMMAND_LINE", ""))
    elif shell == "bash":
        line, last = (*words, "", "")[:2]
        words = words_of_line(line)
    current = words[-1] if words else ""
    wanted = wanted_word(_table(), words)
    if wanted.kind in FROM_SHELL and shell != "tcsh":
        print(FROM_SHELL[wanted.kind])
        return 0
    typed = current.removeprefix(wanted.before)
    candidates = {name: about for name, about in _candidates(wanted, typed).items() if name.startswith(typed)}
    for name, about in candidates.items():
        if not name.isprintable() or (shell == "tcsh" and " " in name):
            # A line end would make two of one; to tcsh, a blank does too.
            continue
        whole = wanted.before + name
        # bash begins another word at each colon and equals sign, and puts in only what follows.
        kept = len(current) - len(words_of_line(f"ush {last.strip(':=')}")[-1]) if last.strip(":=") else len(current)
        is_quoted = last[:1] in ("'", '"')
        print(_line(whole[kept if shell == "bash" else 0 :], about, "" if is_quoted else shell))
    if shell not in ("bash", "tcsh") and not candidates and wanted.kind == "programs":
        print(":files")
    return 0


def _candidates(wanted: Wanted, typed: str) -> dict[str, str]:
    if wanted.choices:
        # Every option that is written short has a long name, which says more.
        return {name: about for name, about in wanted.choices.items() if name.startswith("--") or name[:1] != "-"}
    if wanted.kind in FROM_SHELL:
        return dict.fromkeys(_in_file_system(typed, folders=wanted.kind == "folders"), "")
    return names_of(wanted.kind, wanted.environment, folders_of_person())


def _in_file_system(typed: str, *, folders: bool) -> list[str]:
    """Return names of files or folders that begin so; for a shell whose own completion cannot be asked."""
    above, _, begun = typed.rpartition("/")
    place = os.path.expanduser(f"{above}/" if "/" in typed else ".")
    found = []
    for one in os.scandir(place):
        if one.name.startswith(begun) and (begun or not one.name.startswith(".")) and (one.is_dir() or not folders):
            found.append(f"{above}/{one.name}" if "/" in typed else one.name)
    return sorted(found)


def _line(name: str, about: str, shell: str) -> str:
    about = " ".join(about.split())
    about = about if len(about) <= LONGEST_ABOUT else f"{about[: LONGEST_ABOUT - 1]}…"
    if shell == "zsh":
        return name.replace("\\", "\\\\").replace(":", "\\:") + (f":{about}" if about else "")
    if shell == "fish":
        return f"{name}\t{about}"
    if shell == "bash":
        return "".join(f"\\{letter}" if letter in SPECIAL else letter for letter in name)
    return name


def words_of_line(line: str) -> list[str]:
    """Return the words behind `ush` of a line up to the cursor, the last one may be empty or have an open quote."""
    for closing in ("", "'", '"'):
        try:
            words = shlex.split(line + closing)
        except ValueError:
            continue
        return [*words[1:], ""] if not closing and line[-1:] in (" ", "\t") else words[1:]
    return []


def _table() -> dict:  # type: ignore[type-arg]  # as it is in the file
    with open(os.path.join(os.path.dirname(__file__), "words.json"), "rb") as file:
        found: dict = json.load(file)  # type: ignore[type-arg]
    return found


if __name__ == "__main__":
    sys.exit(answer(sys.argv[1:]))
