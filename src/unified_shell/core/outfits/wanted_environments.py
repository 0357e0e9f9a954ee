"""The environments of an outfit: made, filled with what they lack, wired for the time they are entered, offered."""

import os
from collections.abc import Mapping, Sequence

from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.changes.plan import Change, Prepared
from unified_shell.core.distributions.file_names import FileName
from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.libraries.new_library import plan_new_library
from unified_shell.core.environments.lifecycle import plan_new
from unified_shell.core.environments.model.base_interpreter import EnvironmentToBe
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.layout import link_place
from unified_shell.core.environments.model.registry import Environment, list_environments
from unified_shell.core.environments.offers import offered_files, plan_offer_application, plan_offer_notebook
from unified_shell.core.environments.own_wiring import OwnWiring
from unified_shell.core.environments.packages.getting import PackageRequest, plan_get
from unified_shell.core.environments.packages.lock_files import LockRequest, plan_lock, versions_of_lock
from unified_shell.core.environments.packages.requests import parse_request
from unified_shell.core.environments.packages.requirement_files import read_requirements
from unified_shell.core.environments.trees.next_edition import new_contents
from unified_shell.core.errors import NoSolution, Refused
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.languages import title_of
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.files.digests import NO_SHA256
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush
from unified_shell.core.resolution.target import Rules
from unified_shell.core.shells.dialects.dialect import SetVariable, Side
from unified_shell.core.shells.planning.added_lines import added_lines
from unified_shell.core.shells.planning.variables import with_variable
from unified_shell.core.shells.wiring.wiring import Wiring
from unified_shell.core.verification.packages.package_checks import PackageChecks

from .equipping import Equipping
from .fitting_pythons import no_solution_here
from .locks.beside import check_lock_holds, has_all_of_lock, lock_file_of
from .outfit import WantedEnvironment

__all__ = ["plan_environments", "prepared_apart", "requirements_of"]

KERNEL = "ipykernel"


def plan_environments(equipping: Equipping, suites: Mapping[str, str]) -> list[Change]:
    """Plan what the machine lacks of each environment; `suites` are the places of the outfit's suites."""
    here = {one.name: one for one in list_environments(equipping.locations)}
    changes: list[Change] = []
    for wanted in equipping.outfit.environments:
        if not equipping.is_meant(wanted.when):
            continue
        known = here.get(wanted.name)
        if not wanted.is_python:
            change = _library(equipping, wanted, known, suites)
        elif known is not None:
            change = _grown(equipping, wanted, known, suites)
        else:
            change = _new(equipping, wanted, suites)
        changes.append(prepared_apart(change, f"environment-{wanted.name}"))
        if wanted.is_python:
            changes += _offers(equipping, wanted, known)
    return changes


def requirements_of(wanted: WantedEnvironment, folder: str) -> tuple[Requirement, ...]:
    """Return all that an environment's packages and files ask for; raises UsageError for a file with a mistake."""
    found = [parse_request(text) for text in wanted.packages]
    for name in wanted.files:
        is_project = name.endswith(".toml")
        extras, groups = (wanted.extras, wanted.groups) if is_project else ((), ())
        found += read_requirements(join(folder, name), extras, groups)
    if wanted.notebook and all(canonicalize_name(one.name) != KERNEL for one in found):
        found.append(Requirement(KERNEL))
    return tuple(found)


def _new(equipping: Equipping, wanted: WantedEnvironment, suites: Mapping[str, str]) -> Change:
    host, locations = equipping.host, equipping.locations
    facts = equipping.facts(wanted.interpreter)
    wiring = _own_wiring(equipping, wanted, Wiring(), suites)
    empty = plan_new(wanted.name, facts, host, locations, wiring=wiring)
    contents = replace(new_contents(wanted.name, facts), wiring=wiring)
    prefix = link_place(locations.data, wanted.name)
    environment = EnvironmentToBe(name=wanted.name, prefix=Place(prefix), edition=0, contents=contents, base=facts)
    requests = requirements_of(wanted, equipping.folder)
    if not requests:
        return empty
    _checked_lock(equipping, wanted, requests, facts)
    try:
        got = _filled(equipping, wanted, environment, requests)
    except NoSolution as error:
        raise no_solution_here(error, wanted, requests, _rules(wanted), equipping) from error
    plan = replace(
        empty.plan,
        lines=(*empty.plan.lines, *got.plan.lines),
        download_bytes=got.plan.download_bytes,
        disk_bytes=got.plan.disk_bytes,
    )
    return PackageChecks(environment, host, locations).checked(replace(got, plan=plan))


def _library(
    equipping: Equipping, wanted: WantedEnvironment, known: Environment | None, suites: Mapping[str, str]
) -> Change:
    """Plan an environment of another language: an isolated library, which its own means fill."""
    host, locations = equipping.host, equipping.locations
    bound = wanted.interpreter.version if wanted.interpreter is not None else ""
    if known is None:
        wiring = _own_wiring(equipping, wanted, Wiring(), suites)
        promised = equipping.known_libraries.get((wanted.language, bound))
        return plan_new_library(
            wanted.name, wanted.language, bound, host, locations, wiring=wiring, promised=promised
        )
    _check_interpreter(wanted, known, bound)
    return _wired(equipping, wanted, known, suites)


def _wired(
    equipping: Equipping, wanted: WantedEnvironment, environment: Environment, suites: Mapping[str, str]
) -> Change:
    """Plan what an environment's own wiring lacks, and nothing else."""
    wiring = _own_wiring(equipping, wanted, environment.contents.wiring, suites)
    own = OwnWiring(
        environment=environment, client=equipping.client, host=equipping.host, locations=equipping.locations
    )
    return own.plan_wiring(f"Wire {wanted.name}", added_lines(environment.contents.wiring, wiring), wiring)


def _check_interpreter(wanted: WantedEnvironment, environment: Environment, bound: str, newer: str = "") -> None:
    """Raise Refused for an environment that is on another language, or on a version that is not wanted; `newer` is the
    version of the interpreter that fits.
    """
    contents = environment.contents
    if contents.language == wanted.language and (not bound or version_fits(contents.python, bound)):
        return
    title = title_of(contents.language)
    expected = " ".join(
        filter(None, (title_of(wanted.language) if contents.language != wanted.language else "", bound))
    )
    raise Refused(
        f"the environment {wanted.name} is on {title} {contents.python}; wanted is {expected}",
        next_step=ush("environment", "copy", wanted.name, f"{wanted.name}-new", "--interpreter", newer)
        if newer
        else ush("environment", "rename", wanted.name, f"{wanted.name}-before"),
    )


def _grown(
    equipping: Equipping, wanted: WantedEnvironment, environment: Environment, suites: Mapping[str, str]
) -> Change:
    facts = equipping.facts(wanted.interpreter)
    bound = (wanted.interpreter or equipping.outfit.interpreter).version
    _check_interpreter(wanted, environment, bound, facts.full_version if environment.contents.is_python else "")
    wiring = _own_wiring(equipping, wanted, environment.contents.wiring, suites)
    requests = requirements_of(wanted, equipping.folder)
    lacking = [one for one in requests if _is_lacking(one, environment, facts)]
    lock = _checked_lock(equipping, wanted, requests, facts)
    if lock and not has_all_of_lock(environment, lock):
        lacking = lacking or list(requests)
    if not lacking:
        return _wired(equipping, wanted, environment, suites)
    lines = added_lines(environment.contents.wiring, wiring)
    wired = replace(environment, contents=replace(environment.contents, wiring=wiring))
    change = _filled(equipping, wanted, wired, lacking)
    plan = replace(change.plan, lines=(*change.plan.lines, *lines))
    return PackageChecks(environment, equipping.host, equipping.locations).checked(replace(change, plan=plan))


def _checked_lock(
    equipping: Equipping, wanted: WantedEnvironment, requests: Sequence[Requirement], facts: InterpreterFacts
) -> Mapping[NormalizedName, str]:
    """Return the versions of the lock beside the outfit, empty for none; raises Refused where it is not of this outfit."""
    path = lock_file_of(equipping.place, wanted.name)
    if not requests or not os.path.isfile(path):
        return {}
    versions = versions_of_lock(path, facts)
    check_lock_holds(path, versions, requests, facts, equipping.place)
    return versions


def _filled(
    equipping: Equipping, wanted: WantedEnvironment, environment: Environment, requests: Sequence[Requirement]
) -> Change:
    """Plan the packages: exactly those of the lock beside the outfit, where there is one."""
    rules = _rules(wanted)
    lock = lock_file_of(equipping.place, wanted.name)
    if os.path.isfile(lock):
        every = requirements_of(wanted, equipping.folder)
        said = tuple((canonicalize_name(one.name), str(one)) for one in every)
        return plan_lock(
            LockRequest(path=lock, rules=rules, said=said),
            environment,
            equipping.client,
            equipping.host,
            equipping.locations,
            progress=equipping.progress,
        )
    return plan_get(
        PackageRequest(requests=tuple(requests), rules=rules),
        environment,
        equipping.client,
        equipping.host,
        equipping.locations,
        progress=equipping.progress,
    )


def _rules(wanted: WantedEnvironment) -> Rules:
    return Rules(as_of=f"{wanted.as_of}T23:59:59Z" if wanted.as_of else "")


def _is_lacking(wanted: Requirement, environment: Environment, facts: InterpreterFacts) -> bool:
    """Tell whether an environment does not have what is asked for, or has it only because something else needs it."""
    if not applies(wanted, facts.markers()):
        return False
    found = environment.contents.find(canonicalize_name(wanted.name))
    if found is None or not found.requested or not wanted.specifier.contains(found.version, prereleases=True):
        return True
    asked = {extra for text in found.requested for extra in Requirement(text).extras}
    return not wanted.extras <= asked


def _own_wiring(equipping: Equipping, wanted: WantedEnvironment, before: Wiring, suites: Mapping[str, str]) -> Wiring:
    after = before
    for path in wanted.paths:
        for side, texts in ((Side.FRONT, path.front[::-1]), (Side.BACK, path.back)):
            for text in texts:
                place = os.path.normpath(join(equipping.folder, equipping.filled(text, dict(suites))))
                known = after.find(path.variable, place)
                if known is None or known.side is not side:
                    after = after.with_entry(path.variable, place, side)
    for one in wanted.variables:
        value = equipping.filled(one.value, dict(suites))
        after = with_variable(after, SetVariable(name=one.name, value=value))
    return after


def prepared_apart(change: Change, name: str) -> Change:
    """Return a change that is prepared in a folder of its own: several environments may be in one plan."""

    def prepare(staging: Place) -> Prepared:
        # Its name is one of its own everywhere: what is retired is kept under it.
        folder = join(staging, f"{os.path.basename(staging)}-{name}")
        os.makedirs(folder)
        return change.prepare(folder)

    return Change(plan=change.plan, prepare=prepare)


def _offers(equipping: Equipping, wanted: WantedEnvironment, known: Environment | None) -> list[Change]:
    """Plan to offer an environment to notebooks and the desktop, also one that the same change makes."""
    offered = " ".join(map(os.path.basename, offered_files(known, equipping.host))) if known is not None else ""
    facts = equipping.facts(wanted.interpreter)
    kernel = Distribution(
        name=canonicalize_name(KERNEL),
        version="0",
        sha256=NO_SHA256,
        wheel=FileName(""),
        index="",
        requested=(KERNEL,),
    )
    contents = replace(new_contents(wanted.name, facts), distributions=(kernel,))
    prefix = Place(link_place(equipping.locations.data, wanted.name))
    promised = Environment(name=wanted.name, prefix=prefix, edition=1, contents=contents)
    changes = []
    if wanted.notebook and "kernel.json" not in offered:
        changes.append(plan_offer_notebook(promised, equipping.host))
    changes += [
        plan_offer_application(promised, command, equipping.host, is_promised=True)
        for command in wanted.applications
        if f"{command}.desktop" not in offered
    ]
    return changes
