"""What version a command says it is: of known interpreters always, of another program only where its name was given.

A program that does not know `--version` may do anything instead. So only one is asked whose own content names that word,
without a terminal, a display and input, in an empty folder, and not for long. The answer is kept for the file as it is.
"""

import os
import re
from collections.abc import Callable

from unified_shell.core.interpreters.answers import Answers
from unified_shell.core.interpreters.searching import language_of
from unified_shell.core.machine.host import CREDENTIAL_PREFIXES, Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.programs.executables import FileKind, read_executable

__all__ = ["asker_of_versions", "names_the_option", "version_in", "version_of"]

# A look does not wait for programs that start a whole application to say their version.
ASK_SECONDS = 3.0
# Only where a version's word stands in a program is looked for; larger ones are left unread.
READ_BYTES = 20_000_000
VERSION = re.compile(r"(?<![\w.])v?(\d+(?:\.\d+)+(?:(?:rc|a|b|alpha|beta|dev|post)\d+)?)")
NOT_GIVEN = frozenset({"DISPLAY", "WAYLAND_DISPLAY", "LD_PRELOAD"})


def asker_of_versions(host: Host, locations: Locations) -> Callable[[str], tuple[str, str]]:
    """Return what asks a file for its version: it returns the version, and what is wrong with an interpreter.

    Of the files of one name the first that is no interpreter is asked, since it is the one that answers.
    """
    asked: list[str] = []

    def ask(path: str) -> tuple[str, str]:
        if language_of(os.path.basename(path)):
            from unified_shell.core.interpreters.discovery import ask_interpreter

            return ask_interpreter(Place(path), host)
        if asked:
            return "", ""
        asked.append(path)
        return version_of(path, host, locations), ""

    return ask


def version_of(path: str, host: Host, locations: Locations) -> str:
    """Return the version of a file that answers to a name which was asked about; empty where it tells none."""
    if language_of(os.path.basename(path)):
        from unified_shell.core.interpreters.discovery import ask_interpreter

        return ask_interpreter(Place(path), host)[0]
    return _said(path, host, locations)


def version_in(text: str) -> str:
    """Return the first version in what a program says, or an empty text."""
    found = VERSION.search(text[:2000])
    return found[1] if found else ""


def _said(path: str, host: Host, locations: Locations) -> str:
    answers, key = Answers(locations.cache), f"version\0{path}"
    kept = answers.recall(key)
    if isinstance(kept, str):
        return kept
    version = _ask(path, host) if names_the_option(path) else ""
    answers.keep(key, version, (path, os.path.realpath(path)))
    answers.save()
    return version


def _ask(path: str, host: Host) -> str:
    import tempfile

    from unified_shell.core.machine.processes.processes import run_program

    variables = {
        name: value
        for name, value in host.environment().items()
        if name not in NOT_GIVEN and not name.startswith(CREDENTIAL_PREFIXES)
    }
    with tempfile.TemporaryDirectory(prefix="ush-version-") as folder:
        ran = run_program(
            (path, "--version"),
            environment={**variables, "LC_ALL": "C.UTF-8"},
            timeout_seconds=ASK_SECONDS,
            directory=folder,
            with_descendants=True,
        )
    said = (ran.output[:2000] + b"\n" + ran.errors[:2000]).decode("utf-8", "replace")
    return version_in(said) if ran.returncode == 0 else ""


def names_the_option(path: str) -> bool:
    """Tell whether a program's own content names the word that asks for its version."""
    word = b"--version" if read_executable(path).kind is not FileKind.ELF else b"version"
    try:
        with open(path, "rb") as file:
            return word in file.read(READ_BYTES)
    except OSError:
        return False
