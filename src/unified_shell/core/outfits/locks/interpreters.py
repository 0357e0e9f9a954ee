"""The lock of an outfit's interpreters: which archive is got where a machine has none that fits."""

from collections.abc import Collection, Iterator
from typing import Any

import msgspec
import tomlkit
from msgspec import Struct
from tomlkit.exceptions import TOMLKitError

from unified_shell.core.catalogs.description import Description, Subject
from unified_shell.core.errors import HashDiffers, UsageError, UshError
from unified_shell.core.interpreters.getting.origins import Origin
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.outfits.equipping import Equipping
from unified_shell.core.outfits.outfit import WantedInterpreter

from .beside import suites_lock_of

__all__ = ["LockedInterpreter", "check_interpreter_by_lock", "interpreter_rows", "locked_interpreter"]


class LockedInterpreter(Struct, frozen=True, kw_only=True):
    """An interpreter as it is locked: the bounds by which the outfit names it, its version, and its archive by name and hash."""

    language: str
    wanted: str
    version: str
    file: str
    sha256: str

    def is_for(self, wanted: WantedInterpreter) -> bool:
        """Tell whether this is what an outfit asks for."""
        return (self.language, self.wanted) == (wanted.language, wanted.version)


def locked_interpreter(outfit: str, wanted: WantedInterpreter) -> LockedInterpreter | None:
    """Return what the lock beside an outfit's file holds of an interpreter; raises UsageError for one that is no lock."""
    return next((one for one in _locked(outfit) if one.is_for(wanted)), None)


def check_interpreter_by_lock(origin: Origin, wanted: WantedInterpreter, outfit: str) -> None:
    """Raise HashDiffers for an interpreter whose archive is not the one that was locked."""
    locked = locked_interpreter(outfit, wanted)
    if locked is not None and origin.description is not None and locked.sha256 != origin.sha256:
        raise HashDiffers(
            f"{origin.name} is another archive than the one that is locked",
            where=suites_lock_of(outfit),
            next_step=ush("outfit", "lock", outfit, "--refresh", wanted.language, why="if that is meant"),
        )


def interpreter_rows(
    equipping: Equipping, *, moving: Collection[str] = (), newest: bool = False
) -> list[dict[str, str]]:
    """Return the rows of the interpreters that catalogs describe for this machine. What is locked stays, but for languages in
    `moving`, and with `newest` all.
    """
    rows: list[dict[str, str]] = []
    for wanted in _wanted(equipping):
        known = locked_interpreter(equipping.place, wanted)
        if known is not None and not newest and wanted.language not in moving:
            rows.append(msgspec.structs.asdict(known))
        elif (found := _described(wanted, equipping)) is not None:
            rows.append({"language": wanted.language, "wanted": wanted.version, **found})
    return rows


def _wanted(equipping: Equipping) -> Iterator[WantedInterpreter]:
    outfit = equipping.outfit
    meant = [one.interpreter for one in outfit.environments if one.interpreter and equipping.is_meant(one.when)]
    yield from dict.fromkeys((outfit.interpreter, *meant))


def _described(wanted: WantedInterpreter, equipping: Equipping) -> dict[str, str] | None:
    """Return the version and archive that would be got; of Pythons one for which the packages are locked too."""
    host, short = equipping.host, ""
    if wanted.language == "python":
        short = equipping.facts(wanted).short_version

    def fits(one: Description) -> bool:
        is_it = one.subject is Subject.INTERPRETER and one.language.lower() == wanted.language
        fits = version_fits(one.version, wanted.version) and version_fits(one.version, short)
        return is_it and fits and bool(one.forms_for(host.platform))

    try:
        listed = equipping.find(fits)
    except UshError:
        return None
    if listed is None:
        return None
    archive = listed.description.forms_for(host.platform)[0].archive
    return {"version": listed.description.version, "file": archive.file_name, "sha256": archive.sha256}


def _locked(outfit: str) -> tuple[LockedInterpreter, ...]:
    place = suites_lock_of(outfit)
    content = read_file(place)
    if content is None:
        return ()
    try:
        document: Any = tomlkit.parse(content[0].decode()).unwrap()
        return msgspec.convert(document.get("interpreter", []), tuple[LockedInterpreter, ...])
    except (TOMLKitError, ValueError) as error:
        raise UsageError(
            f"{place} is not a lock of interpreters: {error}",
            next_step=Command(words=("rm", place), why="then lock again"),
        ) from error
