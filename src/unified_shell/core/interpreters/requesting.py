"""What a person asks for with `interpreter get`: a language and version, an address, a file, a folder."""

import os
import re
from collections.abc import Sequence

from msgspec import Struct
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.version import InvalidVersion, Version

from unified_shell.core.errors import UnknownName, UsageError
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.addresses import check_no_password, is_web_address, place_of_address

from .discovery import AllInterpreters
from .languages import find_language, languages

__all__ = ["Asked", "Ready", "parse_request", "ready_ones", "version_fits"]

SPLIT = re.compile(r"^([A-Za-z]+)\s*[-@ ]?\s*([<>=!~0-9].*)?$")


class Asked(Struct, frozen=True, kw_only=True):
    """What is asked for. Either `language` with a `specifier` (empty: any), or one of `address`, `file`, `folder`."""

    language: str = ""
    specifier: str = ""
    address: str = ""
    file: str = ""
    folder: str = ""


class Ready(Struct, frozen=True, kw_only=True):
    """An interpreter that is there already and is what was asked for."""

    title: str
    path: Place
    on_path: bool


def parse_request(words: Sequence[str], host: Host) -> Asked:
    """Return what these words ask for; raises UsageError with what was expected."""
    text = " ".join(words).strip()
    if is_web_address(text):
        check_no_password(text)
        return Asked(address=text)
    place = place_of_address(text) or (join(host.working_directory, text) if "/" in text else Place(""))
    local = place or join(host.working_directory, text)
    if os.path.isdir(local) and ("/" in text or place):
        return Asked(folder=os.path.normpath(local))
    if os.path.isfile(local):
        return Asked(file=os.path.normpath(local))
    if place:
        raise UsageError(
            f"there is no {text!r}", next_step=(ush("interpreter", "get", "python", "3.12"), "or a file or URL")
        )
    found = SPLIT.match(text)
    language = find_language(found[1]) if found else None
    if found is None or language is None:
        near = [one.name for one in languages()]
        raise UnknownName("language", text.split(" ")[0], near, next_step=f"known: {', '.join(near)}")
    specifier = (found[2] or "").strip()
    _parsed(specifier)
    return Asked(language=language.name, specifier=specifier)


def version_fits(version: str, specifier: str) -> bool:
    """Tell whether a version is what a specifier asks for: `3.12` means it and all that begins with it."""
    try:
        return _parsed(specifier).contains(Version(version), prereleases=bool(specifier))
    except InvalidVersion:
        return not specifier


def ready_ones(asked: Asked, found: AllInterpreters) -> tuple[Ready, ...]:
    """Return the interpreters of this machine that are what is asked for, those on PATH first."""
    ready = [
        Ready(title=one.facts.title, path=one.facts.executable, on_path=one.on_path)
        for one in found.python
        if asked.language == "python"
        and one.facts is not None
        and not one.facts.environment_prefix
        and version_fits(one.facts.full_version, asked.specifier)
    ]
    ready += [
        Ready(title=f"{one.title} {one.version}", path=one.names[0], on_path=one.on_path)
        for one in found.others
        if one.language == asked.language and one.version and version_fits(one.version, asked.specifier)
    ]
    return tuple(sorted(ready, key=lambda one: not one.on_path))


def _parsed(specifier: str) -> SpecifierSet:
    bare = specifier[:1].isdigit() and "*" not in specifier
    try:
        return SpecifierSet(f"=={specifier}.*" if bare else specifier)
    except InvalidSpecifier as error:
        raise UsageError(
            f"{specifier!r} is not a version", next_step="write it as 3.12, 3.12.4, '>=3.11' or '>=3.11,<3.13'"
        ) from error
