"""What somebody asks for by name: typed texts read, several for one project held together, those of another machine told."""

import os
import re
import urllib.parse
from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct
from packaging.requirements import InvalidRequirement, Requirement

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.sources import is_source_name, source_parts
from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.environments.model.contents import Contents
from unified_shell.core.errors import UsageError
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.transfers.addresses import address_of_folder

VERSION_CONTROL = re.compile(r"(git|hg|svn|bzr)\+|git@|\S*\.git$")

__all__ = ["Requests", "parse_request", "requests_of", "standing_requests"]


class Requests(Struct, frozen=True, kw_only=True):
    """All that is asked for of an environment: by project, in the order in which it was said.

    `meant` are the requirements whose markers hold for its interpreter; all of them must be met. `said` is what is
    written down for each project, those for other interpreters too; `elsewhere` are the latter of this call.
    """

    meant: tuple[Requirement, ...]
    said: Mapping[NormalizedName, tuple[str, ...]]
    elsewhere: tuple[Requirement, ...] = ()


def requests_of(contents: Contents, new: Sequence[Requirement], markers: Mapping[str, str]) -> Requests:
    """Return what was asked for before and now; of a project that is named now, what was said before is replaced."""
    # What is asked for elsewhere alone is no word on what is here.
    now = {name: each for name, each in _by_project(new).items() if any(applies(one, markers) for one in each)}
    before = _by_project(_recorded(contents))
    every = before | now
    return Requests(
        meant=tuple(one for each in every.values() for one in each if applies(one, markers)),
        said={name: tuple(dict.fromkeys(map(str, each))) for name, each in every.items()},
        elsewhere=tuple(one for one in new if not applies(one, markers)),
    )


def standing_requests(
    contents: Contents, markers: Mapping[str, str], *, without: Iterable[str] = ()
) -> tuple[Requirement, ...]:
    """Return the requirements that were asked for and hold for an interpreter, but for some projects' ones."""
    gone = set(without)
    return tuple(
        one for one in _recorded(contents) if canonicalize_name(one.name) not in gone and applies(one, markers)
    )


def _unsupported(text: str, path: str) -> tuple[str, NextStep] | None:
    """Say what a text is that others take for a requirement and ush does not, and what to do; None for any other."""
    if VERSION_CONTROL.match(text.rpartition("@ ")[2].strip()):
        return (
            "an address in version control, which ush does not support",
            ("check it out, build a wheel of it, then", ush("package", "get", "FILE.whl")),
        )
    if text.startswith(("-e ", "--editable")):
        return (
            "an editable install, which ush does not support",
            ush("path", "add", "DIRECTORY", "--variable", "PYTHONPATH", "-e", "ENVIRONMENT"),
        )
    if ("/" in text or text in (".", "..")) and "@" not in text and os.path.isdir(path):
        step = ush(
            "path", "add", path, "--variable", "PYTHONPATH", "-e", "ENVIRONMENT", why="its modules, as they are"
        )
        return "a folder; ush accepts wheels, source archives and names", step
    if text.startswith(("/", "./", "../", "~")) and not os.path.exists(path):
        return "a path at which there is no file", "give the path of a wheel or source archive, or a project's name"
    return None


def _recorded(contents: Contents) -> list[Requirement]:
    return [Requirement(text) for one in contents.requested for text in one.requested]


def _by_project(requirements: Iterable[Requirement]) -> dict[NormalizedName, list[Requirement]]:
    found: dict[NormalizedName, list[Requirement]] = {}
    for one in requirements:
        found.setdefault(canonicalize_name(one.name), []).append(one)
    return found


def parse_request(text: str, directory: str = "") -> Requirement:
    """Return a requirement as a person types it: by the standard, or the file of a wheel or source distribution.

    Raises UsageError with what was expected.
    """
    path = os.path.normpath(os.path.join(directory, text))
    if (text.endswith(".whl") or is_source_name(text)) and "@" not in text and os.path.isfile(path):
        name = parse_wheel_name(os.path.basename(path))
        parts = source_parts(os.path.basename(path))
        project = name.project if name is not None else parts.project if parts is not None else ""
        text = f"{project} @ {address_of_folder(os.path.abspath(path))}" if project else text
    if why := _unsupported(text, path):
        raise UsageError(f"{text!r} is {why[0]}", next_step=why[1])
    try:
        found = Requirement(text)
    except InvalidRequirement as error:
        raise UsageError(
            f"{text!r} is not a requirement: {str(error).splitlines()[0]}",
            next_step="write it as NAME, NAME>=1.2, NAME[extra] or NAME @ ADDRESS",
        ) from error
    if found.url and urllib.parse.urlsplit(found.url).username is not None:
        raise UsageError(
            f"the address of {found.name} carries a name or password, which would be written down",
            next_step="put them into ~/.netrc, and leave them out of the address",
        )
    return found
