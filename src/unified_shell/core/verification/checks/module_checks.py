"""A module or package: it imports in the Python of a session, or in an environment, from where it should."""

from collections.abc import Iterator

from unified_shell.core.commands.states import State
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment, all_environments
from unified_shell.core.errors import UshError
from unified_shell.core.findings import Cause, Finding
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.modules.library_conflicts import library_conflict
from unified_shell.core.verification.modules.module_states import ModuleReport, look_for_module
from unified_shell.core.verification.packages.environment_checks import check_distributions
from unified_shell.core.verification.packages.import_checks import import_alone
from unified_shell.core.verification.packages.import_faults import ImportSite, explain_import
from unified_shell.core.verification.packages.installed_metadata import read_installed
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, passed
from .environment_checks import environment_of
from .file_checks import version_outside

__all__ = ["MODULE_CHECKS"]

CAUSES = {
    State.ABSENT: Cause.MODULE_ABSENT,
    State.HIDDEN: Cause.MODULE_ELSEWHERE,
    State.MISMATCHED: Cause.OTHER_VERSION_BUILD,
}


def imports(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that a module imports: in the environment that is named, else in the Python of a new session."""
    if not target.environment:
        yield from _in_session(target, around)
        return
    found = environment_of(target.environment, around)
    if isinstance(found, Finding):
        yield found
        return
    yield from _in_environment(target, found, around)


def _in_session(target: Target, around: Surroundings) -> Iterator[Finding]:
    report = look_for_module(target.name, around.host, around.locations)
    question = f"import {target.name} in a new session"
    if report.state is State.READY:
        holder = next(one for one in report.holders if one.state is State.READY)
        yield passed(target.name, question, f"{holder.owner}, {around.shown(holder.file)}")
        return
    why, cause = _why(report), CAUSES.get(report.state, Cause.MODULE_FAILS)
    if report.import_as:
        cause = Cause.OTHER_IMPORT_NAME
    yield fault(target.name, question, why, cause, report.remedy or ush("look", f"module:{target.name}"))


def _why(report: ModuleReport) -> str:
    if report.import_as:
        return f"the import name of {report.name} is {report.import_as[0]}"
    holder = next((one for one in report.holders if one.why), None)
    if holder is not None:
        return f"{holder.owner}: {holder.file} {holder.why}" if holder.file else f"{holder.owner}: {holder.why}"
    ready = [one.owner for one in report.holders if one.state is State.READY]
    return (
        f"it is in {', '.join(ready)}, not in the Python that a session starts" if ready else "no Python here has it"
    )


def _in_environment(target: Target, environment: Environment, around: Surroundings) -> Iterator[Finding]:
    question = f"import {target.name}"
    try:
        facts = base_of(environment, around.host)
    except UshError as error:
        cause = Cause.BASE_GONE if environment.is_base_gone else Cause.BASE_CHANGED
        yield fault(f"environment {environment.name}", question, error.message, cause, error.next_step)
        return
    ran = import_alone(target.name, environment, around.host, limit_seconds=around.limit_seconds)
    installed = read_installed(environment)
    if ran.returncode != 0:
        why = explain_import(target.name, ran, ImportSite(environment, facts, installed, around.host))
        look = ush("look", f"module:{target.name}")
        yield fault(target.name, question, why.text, why.cause, why.remedy or look)
        return
    place = ran.output.decode("utf-8", "surrogateescape").split("\n")[-2]
    yield passed(target.name, question, around.shown(place), seconds=ran.elapsed_seconds)
    conflict = library_conflict(target.name, environment, around.host)
    if conflict:
        remedy = ush("package", "why", target.name.partition(".")[0], *environment.naming)
        answer = f"it loads {conflict[0]} and {conflict[1]}"
        yield fault(target.name, "loads one version of each library", answer, Cause.TWO_LIBRARIES, remedy)
    if target.bound:
        top = target.name.partition(".")[0]
        owner = next((one for one in installed.values() if top in one.imports), None)
        get = ush("package", "get", f"{owner.metadata.name if owner else top}{target.bound}", *environment.changing)
        yield version_outside(target.name, owner.metadata.version if owner else "", target.bound, get)


def package_works(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge a package in each environment that has it, or in the one that is named: version, files, imports, commands."""
    project = canonicalize_name(target.name)
    every = all_environments(around.host, around.locations)
    named = [one for one in every if not target.environment or one.name == target.environment]
    holders = [one for one in named if one.contents.is_python and project in read_installed(one)]
    if not holders:
        where = target.environment or "any environment"
        words = ("-e", target.environment) if target.environment else ()
        get = ush("package", "get", f"{target.name}{target.bound}", *words)
        yield fault(target.name, f"is installed in {where}", "it is not", Cause.NOT_INSTALLED, get)
    for one in holders:
        try:
            facts = base_of(one, around.host)
        except UshError as error:
            cause = Cause.BASE_GONE if one.is_base_gone else Cause.BASE_CHANGED
            yield fault(f"environment {one.name}", "its interpreter starts", error.message, cause, error.next_step)
            continue
        there = read_installed(one)[project]
        if target.bound:
            get = ush("package", "get", f"{target.name}{target.bound}", *one.changing)
            yield version_outside(f"{target.name} in {one.name}", there.metadata.version, target.bound, get)
        yield from check_distributions(
            one, facts, around.host, only=[project], thorough=around.thorough, limit_seconds=around.limit_seconds
        )


MODULE_CHECKS = (
    Check(
        name="module-imports",
        kind=Kind.MODULE,
        asks="a module imports, from where it should, and loads one version of each library",
        cost=Cost.PROGRAMS,
        judge=imports,
    ),
    Check(
        name="package-works",
        kind=Kind.PACKAGE,
        asks="a package is as recorded in each environment that has it, imports, and its commands launch",
        cost=Cost.PROGRAMS,
        judge=package_works,
    ),
)
