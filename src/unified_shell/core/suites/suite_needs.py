"""What a suite needs and this machine lacks: all of it at once, each with why and the line that may bring it."""

import os
import re
from collections.abc import Mapping, Sequence

from msgspec import Struct
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.version import InvalidVersion

from unified_shell.core.catalogs.description import Description, Form, FormKind, Needs
from unified_shell.core.errors import CouldNot
from unified_shell.core.installation.prerequisites import COMPILERS, compiler_for, missing_pieces
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, typed
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.machine.processes.system_packages import install_line, search_line
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.sessions.path_faults import first_on

__all__ = ["Lacking", "check_needs", "lacking_needs"]

ASK_SECONDS = 20.0
VERSION = re.compile(r"\d+(\.\d+)+")


class Lacking(Struct, frozen=True, kw_only=True):
    """One thing that is missing, in words, and the line that looks for it, empty where none is known; or the suite it is."""

    what: str
    line: str = ""
    suite: str = ""


def lacking_needs(
    described: Description,
    form: Form,
    target: Place,
    host: Host,
    *,
    suites: Sequence[str],
    compilers: Sequence[tuple[str, str]] = (),
) -> tuple[Lacking, ...]:
    """Return all that a suite needs and is not here; headers, libraries and a compiler count for a source alone."""
    needs = described.needs
    found = [one for name, bound in needs.commands if (one := _command(name, bound, host)) is not None]
    if form.kind is FormKind.SOURCE:
        found += _for_build(described, form, host, dict(compilers))
    found += [one for language, name in needs.modules if (one := _module(language, name, host)) is not None]
    found += [Lacking(what=f"the suite {name}", suite=name) for name in needs.suites if name not in suites]
    if needs.place_without_spaces and re.search(r"\s", target):
        found.append(Lacking(what=f"a place without spaces; it would be in {target}", line="--place FOLDER"))
    return tuple(found)


def check_needs(found: Sequence[Lacking], name: str, needs: Needs, host: Host) -> None:
    """Raise CouldNot where something is missing, with all of it, and the line that brings what the system's packages can."""
    if not found:
        return
    lines = [f"  {one.what}{f'   ({one.line})' if one.line else ''}" for one in found]
    line = install_line(dict(needs.system_packages), host)
    suite = next((one.suite for one in found if one.suite), "")
    raise CouldNot(
        f"{name} needs what is not here:\n" + "\n".join(lines),
        next_step=ush("suite", "get", suite) if suite else line or "install them, then try again",
    )


def _module(language: str, name: str, host: Host) -> Lacking | None:
    """Ask the language's interpreter of this session for a module."""
    known = find_language(language)
    lacking = Lacking(what=f"the module {name} of {language}")
    if known is None or not known.is_module_name(name):
        return lacking
    program = next(
        (
            path
            for folder in host.search_path()
            if os.path.isdir(folder)
            for one in sorted(os.listdir(folder), key=len)
            if known.is_executable_name(one) and os.access(path := join(folder, one), os.X_OK)
        ),
        "",
    )
    if not program:
        return lacking
    ran = run_program(
        (program, *(word.replace("{name}", name) for word in known.module or ("-c", "import {name}"))),
        environment=host.environment(),
        timeout_seconds=ASK_SECONDS,
        given=known.module_input.replace("{name}", name).encode(),
    )
    said = ran.errors.decode("utf-8", "replace")
    return lacking if ran.returncode or (known.absent and known.says_absent(name, said)) else None


def _command(name: str, bound: str, host: Host) -> Lacking | None:
    path = first_on(host.search_path(), name)
    if not path:
        return Lacking(what=f"the command {name}{f' {bound}' if bound else ''}", line=search_line(typed(name), host))
    if not bound:
        return None
    ran = run_program((path, "--version"), environment=host.environment(), timeout_seconds=ASK_SECONDS)
    said = VERSION.search((ran.output + b"\n" + ran.errors).decode("utf-8", "replace"))
    version = said[0] if said else ""
    try:
        fits = bool(version) and SpecifierSet(bound).contains(version, prereleases=True)
    except (InvalidSpecifier, InvalidVersion):
        fits = False
    return None if fits else Lacking(what=f"the command {name} {bound}; {path} is {version or 'of no known version'}")


def _for_build(described: Description, form: Form, host: Host, chosen: Mapping[str, str]) -> list[Lacking]:
    found = []
    for words in form.build:
        if words and "/" not in words[0] and "{" not in words[0] and not first_on(host.search_path(), words[0]):
            found.append(Lacking(what=f"the command {words[0]}, to build it", line=search_line(words[0], host)))
    needs = described.needs
    for language in needs.compilers or ("c",):
        _, programs, title = COMPILERS[language]
        if language not in chosen and not compiler_for(language, host):
            sought = search_line(programs[0] if language == "fortran" else programs[1], host)
            found.append(Lacking(what=f"a {title} compiler ({', '.join(programs)})", line=sought))
    if not compiler_for("c", host):
        return list(dict.fromkeys(found))
    pieces = missing_pieces(needs.headers, needs.libraries, host) if needs.headers or needs.libraries else ()
    found += [
        Lacking(what=f"the library {one.removeprefix('-l')}" if one.startswith("-l") else f"the header {one}")
        for one in pieces
    ]
    return list(dict.fromkeys(found))
