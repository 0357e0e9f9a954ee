"""The lock of an outfit's suites: each with its version, its form, and the hash of its archive; beside them the interpreters."""

from collections.abc import Collection

import msgspec
import tomlkit
from msgspec import Struct
from packaging.specifiers import SpecifierSet
from tomlkit.exceptions import TOMLKitError

from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.errors import HashDiffers, Refused, UsageError
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.outfits.equipping import Equipping
from unified_shell.core.outfits.outfit import WantedSuite
from unified_shell.core.suites.suite_origins import SuiteOrigin, SuiteRequest, settle_suite

from .beside import suites_lock_of
from .interpreters import interpreter_rows

__all__ = ["LockedSuite", "archives_lock_text", "check_by_lock", "locked_suites", "request_by_lock"]


class LockedSuite(Struct, frozen=True, kw_only=True):
    """A suite as it is locked: its version and form, and its archive by name and hash."""

    version: str
    form: str
    file: str
    sha256: str

    def is_for(self, wanted: WantedSuite) -> bool:
        """Tell whether this is what an outfit asks for."""
        holds = SpecifierSet(wanted.version).contains(self.version, prereleases=True)
        return holds and wanted.form in ("", self.form)


def locked_suites(outfit: str) -> dict[str, LockedSuite]:
    """Return what the lock beside an outfit's file holds, by name; raises UsageError for one that is no lock."""
    place = suites_lock_of(outfit)
    content = read_file(place)
    if content is None:
        return {}
    try:
        return msgspec.convert(tomlkit.parse(content[0].decode()).unwrap().get("suite", {}), dict[str, LockedSuite])
    except (TOMLKitError, ValueError) as error:
        raise UsageError(
            f"{place} is not a lock of suites: {error}", next_step=Command(words=("rm", place), why="then lock again")
        ) from error


def request_by_lock(wanted: WantedSuite, equipping: Equipping) -> SuiteRequest:
    """Return what is asked of the catalogs: the locked version and form where there is a lock of the suite; raises Refused
    where the outfit asks for another one by now.
    """
    locked = locked_suites(equipping.place).get(wanted.name)
    if locked is None:
        return SuiteRequest(what=f"{wanted.name}{wanted.version}", form=wanted.form)
    if not locked.is_for(wanted):
        asked = " ".join(one for one in (f"{wanted.name}{wanted.version}", wanted.form) if one)
        raise Refused(
            f"{wanted.name} is locked as {locked.version}, {locked.form}; the outfit asks for {asked}",
            where=suites_lock_of(equipping.place),
            next_step=ush("outfit", "lock", equipping.place, why="what else is locked stays"),
        )
    return SuiteRequest(what=f"{wanted.name}=={locked.version}", form=locked.form)


def archives_lock_text(equipping: Equipping, *, moving: Collection[str] = (), newest: bool = False) -> str:
    """Return the lock of suites and interpreters, empty for an outfit without one. What is locked stays, but for those in
    `moving`, those of which the outfit asks for another one, and with `newest` all.
    """
    before = {} if newest else locked_suites(equipping.place)
    rows = {}
    for wanted in equipping.outfit.suites:
        if not equipping.is_meant(wanted.when):
            continue
        locked = before.get(wanted.name)
        if locked is not None and canonicalize_name(wanted.name) not in moving and locked.is_for(wanted):
            request = request_by_lock(wanted, equipping)
        else:
            request = SuiteRequest(what=f"{wanted.name}{wanted.version}", form=wanted.form)
        origin = settle_suite(request, equipping.find, equipping.fetcher, equipping.host, equipping.locations)
        rows[wanted.name] = {
            "version": origin.description.version,
            "form": origin.form.kind.value,
            "file": origin.form.archive.file_name,
            "sha256": origin.form.archive.sha256,
        }
    interpreters = interpreter_rows(equipping, moving=moving, newest=newest)
    document: dict[str, object] = {"interpreter": interpreters} if interpreters else {}
    return tomlkit.dumps({**document, "suite": rows} if rows else document) if rows or interpreters else ""


def check_by_lock(origin: SuiteOrigin, outfit: str) -> None:
    """Raise HashDiffers for a suite whose archive is not the one that was locked."""
    locked = locked_suites(outfit).get(origin.description.name)
    if locked is not None and locked.sha256 != origin.form.archive.sha256:
        raise HashDiffers(
            f"{origin.description.name} {origin.description.version} is another archive than the one that is locked",
            where=suites_lock_of(outfit),
            next_step=ush("outfit", "lock", outfit, "--refresh", origin.description.name, why="if that is meant"),
        )
