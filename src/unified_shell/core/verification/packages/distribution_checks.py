"""The checks of distributions that read files only: as recorded, satisfied, fit for the interpreter."""

from collections.abc import Iterator, Mapping, Sequence

from packaging.requirements import Requirement
from packaging.specifiers import InvalidSpecifier, SpecifierSet

from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.trees.recorded_files import AlteredFile, altered_files, altered_text
from unified_shell.core.findings import Cause, Finding, Mend, MendKind, Verdict
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.next_steps import ush

from .installed_metadata import Installed
from .requirements_here import requirements_here

__all__ = ["check_recorded", "check_requirements"]


def check_recorded(
    environment: Environment,
    chosen: Sequence[Distribution],
    installed: Mapping[NormalizedName, Installed],
    *,
    thorough: bool,
) -> Iterator[Finding]:
    """Judge that what is recorded is there as it was put there, and nothing else is."""
    altered = altered_files(environment, thorough=thorough)
    for one in chosen:
        yield _as_recorded(one, installed, [file for file in altered if file.project == one.name], environment)
    known = {one.name for one in environment.contents.distributions}
    for name, there in installed.items():
        if name not in known:
            yield Finding(
                subject=name,
                question="was installed by ush",
                verdict=Verdict.FAULT,
                answer=f"{there.metadata.version} was installed by {there.installer or 'something else'}",
                cause=Cause.NOT_RECORDED,
                remedy=ush("package", "get", name, *environment.changing, why="so that it is recorded"),
            )


def _as_recorded(
    one: Distribution,
    installed: Mapping[NormalizedName, Installed],
    altered: Sequence[AlteredFile],
    environment: Environment,
) -> Finding:
    there = installed.get(one.name)
    mending = "" if environment.foreign else ush("verify", environment.name, "--mend", *environment.scope_words)
    mend = None if environment.foreign else Mend(MendKind.ENVIRONMENT, environment.name)
    if there is None:
        answer, cause, question = "it is not there", Cause.NOT_INSTALLED, f"is version {one.version}, as recorded"
    elif there.metadata.version != one.version:
        answer, cause = there.metadata.version, Cause.FILES_CHANGED
        question = f"is version {one.version}, as recorded"
    elif altered:
        answer, cause, question = altered_text(altered), Cause.FILES_CHANGED, "its files are unchanged"
    else:
        question = f"is version {one.version}, as recorded"
        return Finding(subject=one.name, question=question, verdict=Verdict.PASSED, answer="yes")
    return Finding(
        subject=one.name,
        question=question,
        verdict=Verdict.FAULT,
        answer=answer,
        cause=cause,
        remedy=mending,
        mend=mend,
    )


def check_requirements(
    installed: Mapping[NormalizedName, Installed], facts: InterpreterFacts, environment: Environment
) -> Iterator[Finding]:
    """Judge that each distribution has what it requires here: others in the right versions, and the right Python."""
    instead = {canonicalize_name(one.name): one.specifier for one in map(Requirement, environment.contents.overrides)}
    required = requirements_here(installed, facts.markers(), environment)
    met, faults = 0, 0
    for name, there in installed.items():
        if not _admits(there.metadata.requires_python, facts):
            faults += 1
            yield _requires_other_python(name, there, facts, environment)
        for needed in required[name]:
            have = installed.get(canonicalize_name(needed.name))
            fits = instead.get(canonicalize_name(needed.name), needed.specifier)
            if have is not None and fits.contains(have.metadata.version, prereleases=True):
                met += 1
            elif have is None and environment.contents.find(canonicalize_name(needed.name)) is not None:
                faults += 1  # it was recorded and is gone, which is told of it itself
            else:
                faults += 1
                yield _unmet(name, needed, have, environment)
    if met and not faults:
        yield Finding(
            subject="dependencies",
            question="are satisfied",
            verdict=Verdict.PASSED,
            answer=f"{met} requirements are met",
        )


def _unmet(name: NormalizedName, needed: Requirement, have: Installed | None, environment: Environment) -> Finding:
    return Finding(
        subject=name,
        question=f"has what it requires: {needed}",
        verdict=Verdict.FAULT,
        answer=f"{have.metadata.name} {have.metadata.version} is installed" if have else "it is not installed",
        cause=Cause.DEPENDENCY_VERSION if have else Cause.DEPENDENCY_ABSENT,
        remedy=ush("package", "get", str(needed).partition(";")[0].strip(), *environment.changing),
    )


def _admits(requires_python: str, facts: InterpreterFacts) -> bool:
    try:
        return SpecifierSet(requires_python).contains(facts.full_version, prereleases=True)
    except InvalidSpecifier:
        return True  # what cannot be read forbids nothing


def _requires_other_python(
    name: NormalizedName, there: Installed, facts: InterpreterFacts, environment: Environment
) -> Finding:
    return Finding(
        subject=name,
        question=f"runs on Python {facts.full_version}",
        verdict=Verdict.FAULT,
        answer=f"{there.metadata.version} requires Python {there.metadata.requires_python}",
        cause=Cause.PYTHON_OUTSIDE,
        remedy=ush("package", "refresh", name, *environment.changing),
    )
