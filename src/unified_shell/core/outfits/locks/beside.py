"""The locks beside an outfit: where they are (a file an environment, PEP 751 names them so, and one for suites), whether they
still hold what the outfit asks for, and whether an environment has what they hold.
"""

import os
import tomllib
from collections.abc import Mapping, Sequence

from packaging.requirements import Requirement
from packaging.version import Version

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.errors import Refused, UsageError
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

__all__ = ["check_lock_holds", "has_all_of_lock", "lock_file_of", "suites_lock_of"]


def lock_file_of(outfit: str, environment: str) -> Place:
    """Return the lock file of an environment of an outfit."""
    return join(os.path.dirname(outfit), f"pylock.{environment.replace('.', '-')}.toml")


def suites_lock_of(outfit: str) -> Place:
    """Return the file with the hashes of an outfit's suites."""
    return join(os.path.dirname(outfit), f"{os.path.basename(outfit).removesuffix('.toml')}.lock.toml")


def check_lock_holds(
    lock: str,
    versions: Mapping[NormalizedName, str],
    asked: Sequence[Requirement],
    facts: InterpreterFacts,
    outfit: str,
) -> None:
    """Raise Refused where a lock with these versions does not hold what an outfit asks for: it was made before that was written."""
    name, wrong, extras = os.path.basename(lock), [], _extras_of(lock)
    for one in asked:
        if not applies(one, facts.markers()):
            continue
        version = versions.get(canonicalize_name(one.name))
        if version is None:
            wrong.append(f"{one.name} is not in it")
        elif not one.specifier.contains(version, prereleases=True):
            wrong.append(f"it holds {one.name} {version}, wanted is {one}")
        elif extras is not None and (more := _lacking_extras(one, extras)):
            wrong.append(f"it holds {one.name} without {', '.join(more)}")
    if wrong:
        raise Refused(
            f"{name} is not what the outfit asks for any more: {'; '.join(wrong)}",
            where=lock,
            next_step=ush("outfit", "lock", outfit, why="the other versions stay as they are locked"),
        )


def _extras_of(lock: str) -> dict[NormalizedName, set[str]] | None:
    """Return the extras that were asked for when a lock was made, by project; None for a lock that does not say."""
    content = read_file(Place(lock))
    found: dict[NormalizedName, set[str]] = {}
    try:
        tool = tomllib.loads(content[0].decode()).get("tool", {}) if content is not None else {}
        asked = tool.get("unified-shell", {}).get("asked")
        if asked is None:
            return None
        for one in map(Requirement, asked):
            found.setdefault(canonicalize_name(one.name), set()).update(map(canonicalize_name, one.extras))
    except (ValueError, AttributeError, TypeError) as error:
        why = str(error).partition("\n")[0]
        raise UsageError(
            f"the lock's table tool.unified-shell cannot be read: {why}",
            where=lock,
            next_step="remove it, then lock anew",
        ) from error
    return found


def _lacking_extras(wanted: Requirement, extras: Mapping[NormalizedName, set[str]]) -> list[str]:
    known = extras.get(canonicalize_name(wanted.name), set())
    return sorted(one for one in wanted.extras if canonicalize_name(one) not in known)


def has_all_of_lock(environment: Environment, versions: Mapping[NormalizedName, str]) -> bool:
    """Tell whether an environment has each project that a lock holds, in its version; it may have others."""
    here = {one.name: one.version for one in environment.contents.distributions}
    return all(name in here and Version(here[name]) == Version(version) for name, version in versions.items())
