"""The interpreters that an outfit needs and this machine lacks. What they will say of themselves is known before they are here,
so what stands on them is planned with them; when they are prepared they are asked.
"""

import os
import re
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace
from packaging.version import Version

from unified_shell.core.changes.plan import Change
from unified_shell.core.environments.libraries.library_interpreter import library_interpreter
from unified_shell.core.errors import CouldNot, UshError
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.getting.get_plans import InterpreterRequest, plan_getting, settle_getting
from unified_shell.core.interpreters.getting.obtaining import Getting
from unified_shell.core.interpreters.languages import find_language, title_of
from unified_shell.core.interpreters.managed import ManagedInterpreter
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.interpreters.requesting import parse_request, version_fits
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

from .equipping import Equipping
from .locks.interpreters import check_interpreter_by_lock, locked_interpreter
from .outfit import WantedInterpreter

__all__ = ["ComingInterpreter", "settle_interpreters", "with_come"]

# In the name of an archive, or of the folder in it: `python-3.13.5`, `lua-5.4.9-linux`.
VERSION = re.compile(r"-(\d+(?:\.\d+)+(?:(?:a|b|rc)\d+)?)")


class ComingInterpreter(Struct, frozen=True, kw_only=True):
    """One that will be got, and how; `version` is what is promised of it, `wanted` is by what it was named."""

    language: str
    version: str
    getting: Getting
    request: InterpreterRequest
    wanted: tuple[WantedInterpreter, ...]

    def planned(self) -> Change:
        """Plan to get it; raises Refused for a licence that is not accepted, CouldNot where it cannot be built here."""
        asked = parse_request(self.request.words, self.getting.host)
        return plan_getting(self.getting, self.request, asked)

    def answers(self, wanted: WantedInterpreter) -> bool:
        """Tell whether it is what is wanted."""
        return self.language == wanted.language and version_fits(self.version, wanted.version)


def settle_interpreters(equipping: Equipping) -> tuple[Equipping, tuple[ComingInterpreter, ...]]:
    """Return what is compared with the machine as it will be with the interpreters that are lacking, and these; raises
    CouldNot where one is nowhere to be had.
    """
    coming: list[ComingInterpreter] = []
    ahead = _settled(equipping, equipping.outfit.interpreter, coming)
    for one in equipping.outfit.environments:
        # A condition is judged by the outfit's own interpreter, which is settled by now.
        if one.interpreter is not None and ahead.is_meant(one.when):
            ahead = _settled(ahead, one.interpreter, coming)
    return ahead, tuple(coming)


def with_come(equipping: Equipping, come: Sequence[tuple[ComingInterpreter, ManagedInterpreter]]) -> Equipping:
    """Return it with interpreters that stand at their places by now, as they say themselves; raises CouldNot for one that is
    not of the version that was promised.
    """
    for one, here in come:
        facts = probe(here.executable, equipping.host) if one.language == "python" else None
        version = facts.full_version if facts is not None else here.version
        if version != one.version:
            raise CouldNot(
                f"{one.getting.name} is {title_of(here.language)} {version}; {one.version} was promised; nothing was changed",
                where=one.getting.origin.shown,
                next_step=ush("interpreter", "get", one.language, version, why="then equip again"),
            )
        for wanted in one.wanted:
            equipping = _standing_on(equipping, wanted, facts, here.executable, version)
    return equipping


def _settled(equipping: Equipping, wanted: WantedInterpreter, coming: list[ComingInterpreter]) -> Equipping:
    """Return it with one more interpreter; where that is lacking, it is added to those that are coming."""
    if _is_here(wanted, equipping):
        return equipping
    at = next((at for at, one in enumerate(coming) if one.answers(wanted)), None)
    if at is None:
        coming.append(_coming(wanted, equipping))
    else:
        coming[at] = replace(coming[at], wanted=(*coming[at].wanted, wanted))
    found = coming[-1 if at is None else at]
    executable = _promised_executable(found)
    facts = _promised_facts(found, executable, equipping) if found.language == "python" else None
    return _standing_on(equipping, wanted, facts, executable, found.version)


def _standing_on(
    equipping: Equipping, wanted: WantedInterpreter, facts: InterpreterFacts | None, executable: Place, version: str
) -> Equipping:
    if facts is not None:
        return replace(equipping, known_facts={**equipping.known_facts, wanted.version: facts})
    known = {**equipping.known_libraries, (wanted.language, wanted.version): (executable, version)}
    return replace(equipping, known_libraries=known)


def _coming(wanted: WantedInterpreter, equipping: Equipping) -> ComingInterpreter:
    in_pack = wanted.language == "python" and equipping.pack.endswith(".tar.gz")
    locked = locked_interpreter(equipping.place, wanted)
    asked = f"=={locked.version}" if locked is not None else wanted.version
    words = (equipping.pack,) if in_pack else (wanted.language, asked)
    request = InterpreterRequest(words=words, accepted=equipping.accepted)
    host, locations = equipping.host, equipping.locations
    getting = settle_getting(request, equipping.find, equipping.fetcher, host, locations, progress=equipping.progress)
    check_interpreter_by_lock(getting.origin, wanted, equipping.place)
    described = getting.origin.description
    named = VERSION.search(getting.name)
    return ComingInterpreter(
        language=wanted.language,
        version=described.version if described is not None else named[1] if named else "",
        getting=getting,
        request=request,
        wanted=(wanted,),
    )


def _promised_executable(one: ComingInterpreter) -> Place:
    described, table = one.getting.origin.description, find_language(one.language)
    told = described.offers.interpreter if described is not None else ""
    usual = f"python{_short(one.version)}" if table is None or one.language == "python" else table.commands[0]
    # As its own links are followed: they may be above the place of all interpreters.
    return join(os.path.realpath(os.path.dirname(one.getting.target)), one.getting.name, told or f"bin/{usual}")


def _promised_facts(one: ComingInterpreter, executable: Place, equipping: Equipping) -> InterpreterFacts:
    """Return what a Python that is made for this machine will say: of the machine, what the one says that runs us."""
    version, short, target = Version(one.version), _short(one.version), one.getting.target
    library = join(target, "lib", f"python{short}")
    return replace(
        probe(equipping.host.python, equipping.host),
        executable=executable,
        real_executable=executable,
        version=(version.major, version.minor, version.micro),
        full_version=one.version,
        implementation="cpython",
        prefix=target,
        base_prefix=target,
        environment_prefix=Place(""),
        externally_managed=False,
        free_threaded=False,
        cache_tag=f"cpython-{version.major}{version.minor}",
        magic="",
        lacking=(),
        library_folders=(library,),
        site_folders=(join(library, "site-packages"),),
    )


def _short(version: str) -> str:
    return ".".join(version.split(".")[:2])


def _is_here(wanted: WantedInterpreter, equipping: Equipping) -> bool:
    table = find_language(wanted.language)
    try:
        if wanted.language == "python" or table is None:
            equipping.facts(wanted)
        else:
            library_interpreter(table, wanted.version, equipping.host, equipping.locations)
    except UshError:
        return False
    return True
