"""Interpreters of other languages than Python: their version and word size, and whether one has a module."""

import fnmatch
import os
from collections.abc import Mapping, Sequence

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.machine.programs.executables import FileKind, read_executable

from .answers import Answers
from .languages import Language, languages

__all__ = ["OtherInterpreter", "ask_version", "language_named", "said_version", "undisturbed"]

VERSION_SECONDS = 10.0


class OtherInterpreter(Struct, frozen=True, kw_only=True):
    """One interpreter and every name that leads to it, in path order; `version` is empty where it does not start.

    Word size and architecture are those of its program; a script has none (0 and empty).
    """

    language: str
    title: str
    names: tuple[Place, ...]
    on_path: bool
    version: str
    word_size_bits: int
    architecture: str
    trouble: str = ""


def ask_version(
    language: str, names: Sequence[Place], answers: Answers, host: Host, *, on_path: bool
) -> OtherInterpreter:
    """Let an interpreter say its version, unless its answer is kept and nothing changed since."""
    table, first = language_named(language), names[0]
    header = read_executable(os.path.realpath(first))
    kept = answers.recall(f"{language}\0{first}")
    if not isinstance(kept, list):
        kept = list(said_version(table, first, host))
        answers.keep(f"{language}\0{first}", kept, (first, os.path.realpath(first)))
    version, trouble = kept
    is_program = header.kind in (FileKind.ELF, FileKind.MACH_O, FileKind.PE)
    return OtherInterpreter(
        language=language,
        title=table.title,
        names=tuple(names),
        on_path=on_path,
        version=version,
        word_size_bits=header.word_size_bits if is_program else 0,
        architecture=header.architecture if is_program else "",
        trouble=trouble,
    )


def language_named(name: str) -> Language:
    """Return the language of a name that is in the table."""
    return next(one for one in languages() if one.name == name)


def undisturbed(language: Language, variables: Mapping[str, str]) -> dict[str, str]:
    """Return the variables without those that keep an interpreter from starting, or let it load other code."""
    return {
        name: value
        for name, value in variables.items()
        if not any(fnmatch.fnmatchcase(name, pattern) for pattern in (*language.undisturbed, "LD_PRELOAD"))
    } | {"LC_ALL": "C"}


def said_version(language: Language, executable: str, host: Host) -> tuple[str, str]:
    """Return the version that an interpreter says, or an empty text and why it says none."""
    ran = run_program(
        (executable, *language.version),
        environment=undisturbed(language, host.environment()),
        timeout_seconds=VERSION_SECONDS,
        given=language.version_input.encode(),
    )
    said = (ran.output + b"\n" + ran.errors).decode("utf-8", "replace")
    version = language.read_version(said)
    return (version, "") if version else ("", ran.trouble or f"does not answer with a version of {language.title}")
