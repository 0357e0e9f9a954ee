"""The machine that a pack is for, as its own `ush look --json` tells of it: what it has need not be packed."""

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec
from msgspec import Struct

from unified_shell.core.errors import CouldNot, Refused, UsageError
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush
from unified_shell.core.outfits.locks.settling import LockedPackage

__all__ = ["OtherEnvironment", "OtherMachine", "read_other_machine"]


class OtherEnvironment(Struct, frozen=True, kw_only=True):
    """An environment there: the hash of each distribution, by project."""

    name: str
    hashes: tuple[tuple[str, str], ...]


class OtherMachine(Struct, frozen=True, kw_only=True):
    """What it has: versions of `python3` on its PATH, suites by name with versions, environments. What is asked for is answered
    with its title, empty where it is not there.
    """

    pythons: tuple[str, ...] = ()
    suites: tuple[tuple[str, str], ...] = ()
    environments: tuple[OtherEnvironment, ...] = ()

    def python(self, facts: InterpreterFacts, bound: str) -> str:
        """Return its `python3`, if that can run what is packed for an interpreter here, and is meant."""
        fitting = [one for one in self.pythons if version_fits(one, facts.short_version) and version_fits(one, bound)]
        return f"Python {fitting[0]}" if fitting else ""

    def suite(self, name: str, bound: str) -> str:
        """Return a suite that it has in a version that is meant."""
        fits = next((version for own, version in self.suites if own == name and version_fits(version, bound)), "")
        return f"suite {name}-{fits}" if fits else ""

    def environment(self, name: str, packages: Iterable[LockedPackage]) -> str:
        """Return an environment that has exactly what is locked, so that no wheel is needed for it."""
        known = next((one for one in self.environments if one.name == name), None)
        if known is None:
            return ""
        here = dict(known.hashes)
        hashes = {package.name: {file.sha256 for file in package.files} for package in packages}
        same = all(here.get(project) in each for project, each in hashes.items())
        return f"environment {name}" if same else ""


def read_other_machine(text: str, host: Host) -> OtherMachine:
    """Return what a report says; raises UsageError for what is no such report, Refused for one of another kind of machine."""
    place = join(host.working_directory, text)
    content = read_file(place)
    if content is None:
        raise UsageError(f"there is no report {text!r}", next_step=ush("look", "--json", why="on that machine"))
    try:
        report: Any = msgspec.json.decode(content[0])
    except msgspec.DecodeError as error:
        raise CouldNot(
            f"{text} cannot be read: {error}", next_step=ush("look", "--json", why="on that machine")
        ) from error
    if not isinstance(report, Mapping) or report.get("kind") != "look":
        raise UsageError(
            f"{text} is not what ush look --json prints", next_step=ush("look", "--json", why="on that machine")
        )
    kind, own = (report.get("architecture"), report.get("libc")), (host.architecture, str(host.libc))
    if kind[0] != own[0] or str(kind[1]).split(" ")[0] != own[1].split(" ")[0]:
        raise Refused(
            f"{text} is of a machine with {kind[0]}, {kind[1]}; what is packed here is for {own[0]}, {own[1]}",
            next_step="pack it on a machine of that kind",
        )
    return OtherMachine(
        pythons=tuple(_pythons(report.get("interpreters", ()))),
        suites=tuple(_suite(str(one)) for one in report.get("suites", ())),
        environments=tuple(
            OtherEnvironment(
                name=str(one["name"]),
                hashes=tuple((row["name"], row["sha256"]) for row in one["contents"]["distributions"]),
            )
            for one in report.get("environments", ())
        ),
    )


def _pythons(rows: Iterable[Mapping[str, Any]]) -> Iterable[str]:
    """Yield the versions of the interpreters that a session there starts as `python3`."""
    for one in rows:
        facts = one.get("facts")
        is_python3 = any(str(name).endswith("/python3") for name in one.get("names", ()))
        if one.get("on_path") and is_python3 and facts and not facts.get("environment_prefix"):
            yield str(facts["full_version"])
            return


def _suite(title: str) -> tuple[str, str]:
    name, _, version = title.rpartition("-")
    return name, version
