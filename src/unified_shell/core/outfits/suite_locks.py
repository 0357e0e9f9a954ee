"""The lock of an outfit's suites: each with its version, its form, and the hash of its archive."""

import tomlkit

from unified_shell.core.errors import HashDiffers
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.next_steps import ush
from unified_shell.core.suites.suite_origins import SuiteOrigin, SuiteRequest, settle_suite

from .equipping import Equipping
from .locks import suites_lock_of

__all__ = ["check_by_lock", "suites_lock_text"]


def suites_lock_text(equipping: Equipping) -> str:
    """Return the lock of the suites; empty for an outfit without one."""
    rows = {}
    for wanted in equipping.outfit.suites:
        request = SuiteRequest(what=f"{wanted.name}{wanted.version}", form=wanted.form)
        origin = settle_suite(request, equipping.find, equipping.fetcher, equipping.host, equipping.locations)
        rows[wanted.name] = {
            "version": origin.description.version,
            "form": origin.form.kind.value,
            "file": origin.form.archive.file_name,
            "sha256": origin.form.archive.sha256,
        }
    return tomlkit.dumps({"suite": rows}) if rows else ""


def check_by_lock(origin: SuiteOrigin, outfit: str) -> None:
    """Raise HashDiffers for a suite whose archive is not the one that was locked."""
    place = suites_lock_of(outfit)
    content = read_file(place)
    rows = tomlkit.parse(content[0].decode()).unwrap().get("suite", {}) if content is not None else {}
    locked = rows.get(origin.description.name, {}).get("sha256", "")
    if locked and locked != origin.form.archive.sha256:
        raise HashDiffers(
            f"{origin.description.name} {origin.description.version} is another archive than the one that is locked",
            where=place,
            next_step=ush("outfit", "lock", outfit, why="if that is meant"),
        )
