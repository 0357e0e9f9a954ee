"""The checks of an environment: that it starts, holds what is recorded, imports, and its commands launch."""

import os
import re
from collections.abc import Callable, Iterable, Mapping, Sequence

from msgspec import Struct
from packaging.requirements import InvalidRequirement, Requirement
from packaging.utils import NormalizedName, canonicalize_name

from unified_shell.core.distributions.entry_points import EntryPoint
from unified_shell.core.distributions.import_names import is_stray
from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.metadata import Metadata
from unified_shell.core.environments.libraries.library_checks import check_library
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.registry import Environment, unreadable_environments
from unified_shell.core.environments.trees.next_edition import proof_of_start
from unified_shell.core.environments.trees.recorded_files import AlteredFile, altered_files, altered_text
from unified_shell.core.errors import UshError
from unified_shell.core.findings import Finding, Verdict, verdict_of
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.pool import map_at_once
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.machine.programs.executables import is_executable_file, read_executable
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.programs import program

from .installed_metadata import Installed, read_installed
from .shared_imports import loaded_together

__all__ = ["check_distributions", "check_environment", "check_readable"]

# Large packages load much at their first import, from a slow volume for a long time.
IMPORT_SECONDS = 120.0
WORKERS = 4
VERSION_AT_END = re.compile(r"-?\d+(\.\d+)*$")
EXTRA = re.compile(r"""extra\s*==\s*['"]([^'"]+)['"]""")


def check_environment(environment: Environment, host: Host, *, thorough: bool = False) -> tuple[Finding, ...]:
    """Run all checks that need no session of a shell."""
    if not environment.contents.is_python:
        return check_library(environment, host)
    try:
        facts = base_of(environment, host)
    except UshError as error:
        return (
            Finding(
                subject=f"environment {environment.name}",
                question="its interpreter starts",
                verdict=Verdict.FAULT,
                answer=error.message,
                remedy=error.next_step,
            ),
        )
    start = proof_of_start(environment.prefix, facts, host)
    if not start.passed:
        return (start,)
    return (start, *check_distributions(environment, facts, host, thorough=thorough))


def check_readable(locations: Locations) -> tuple[Finding, ...]:
    """Return a fault for each environment of which it cannot be read what it holds."""
    return tuple(
        Finding(
            subject=name,
            question="its contents can be read",
            verdict=Verdict.FAULT,
            answer=why,
            remedy=ush("environment", "drop", name, *locations.scope_words, why="then make it again"),
        )
        for name, why in unreadable_environments(locations).items()
    )


def check_distributions(
    environment: Environment,
    facts: InterpreterFacts,
    host: Host,
    *,
    only: Iterable[str] | None = None,
    thorough: bool = False,
    installed: Mapping[NormalizedName, Installed] | None = None,
) -> tuple[Finding, ...]:
    """Check that distributions are as recorded, satisfied, importable, and their commands launch.

    `only` limits imports and commands to some projects; what they require is checked for all. With `thorough` the content of every recorded file is compared, not size and time alone. `installed` is what
    `read_installed` says, where that was asked already.
    """
    installed = read_installed(environment) if installed is None else installed
    chosen = [one for one in environment.contents.distributions if only is None or one.name in set(only)]
    altered = altered_files(environment, thorough=thorough)
    found = [
        _as_recorded(one, installed, [file for file in altered if file.project == one.name], environment)
        for one in chosen
    ]
    found += _strangers(environment, installed)
    found += _satisfied(installed, facts, environment)
    work: list[Callable[[], Finding]] = []
    brought = frozenset(name.split(".")[0] for there in installed.values() for name in there.imports)
    here = [(one, installed[one.name]) for one in chosen if one.name in installed]
    words = [name for _, there in here for name in there.imports]
    words += [_word(entry) for _, there in here for entry in there.commands]
    judge = _Judge(environment, brought, loaded_together(words, environment, host), host)
    for one, there in here:
        work += [judge.import_check(one, there, name) for name in there.imports]
        work += [judge.command_check(one, there, entry) for entry in there.commands]
    return (*found, *map_at_once(lambda check: check(), work, workers=WORKERS))


def _as_recorded(
    one: Distribution,
    installed: Mapping[NormalizedName, Installed],
    altered: Sequence[AlteredFile],
    environment: Environment,
) -> Finding:
    there = installed.get(one.name)
    if altered and there is not None and there.metadata.version == one.version:
        return Finding(
            subject=one.name,
            question="its files are unchanged",
            verdict=Verdict.FAULT,
            answer=altered_text(altered),
            remedy="" if environment.foreign else ush("verify", environment.name, "--mend", *environment.scope_words),
        )
    answer = "it is not there" if there is None else there.metadata.version
    passed = there is not None and there.metadata.version == one.version
    return Finding(
        subject=one.name,
        question=f"is version {one.version}, as recorded",
        verdict=verdict_of(passed=passed),
        answer="yes" if passed else answer,
        remedy=""
        if passed or environment.foreign
        else ush("verify", environment.name, "--mend", *environment.scope_words),
    )


def _strangers(environment: Environment, installed: Mapping[NormalizedName, Installed]) -> list[Finding]:
    known = {one.name for one in environment.contents.distributions}
    return [
        Finding(
            subject=name,
            question="was installed by ush",
            verdict=Verdict.FAULT,
            answer=f"{there.metadata.version} was installed by {there.installer or 'something else'}",
            remedy=ush("package", "get", name, *environment.changing, why="so that it is recorded"),
        )
        for name, there in installed.items()
        if name not in known
    ]


def _satisfied(
    installed: Mapping[NormalizedName, Installed], facts: InterpreterFacts, environment: Environment
) -> list[Finding]:
    instead = {canonicalize_name(one.name): one.specifier for one in map(Requirement, environment.contents.overrides)}
    markers = facts.markers()
    found, wrong = 0, []
    for name, there in installed.items():
        for text in there.metadata.requires:
            try:
                needed = Requirement(text)
            except InvalidRequirement:
                continue
            if not applies(needed, markers):
                continue
            found += 1
            project = canonicalize_name(needed.name)
            have = installed.get(project)
            if have is None or not instead.get(project, needed.specifier).contains(
                have.metadata.version, prereleases=True
            ):
                wrong.append((name, text, have.metadata.version if have else "nothing"))
    if not wrong:
        answer = f"{found} requirements are met"
        return (
            [Finding(subject="dependencies", question="are satisfied", verdict=Verdict.PASSED, answer=answer)]
            if found
            else []
        )
    return [
        Finding(
            subject=name,
            question=f"has what it requires: {text}",
            verdict=Verdict.FAULT,
            answer=f"there is {have}",
            remedy=ush("package", "get", text.split(";")[0].strip(), *environment.changing),
        )
        for name, text, have in wrong
    ]


def _missing(ran: Ran, brought: frozenset[str]) -> str:
    """Return the module that a part lacks and nothing here has; empty where that is not why it fails."""
    lines = ran.output.decode("utf-8", "replace").split()
    missing = lines[-1] if ran.returncode == 4 and lines else ""
    # A part of something that is there is no option, it is broken.
    return "" if "." in missing or missing in brought else missing


def _extra_with(module: str, metadata: Metadata) -> str:
    """Return the extra of a project that brings a module, as far as a project of the module's name is required by it."""
    for text in metadata.requires:
        extra = EXTRA.search(text)
        project = re.match(r"[\w.-]+", text)
        if extra and project and canonicalize_name(project[0]) == canonicalize_name(module):
            return extra[1]
    return ""


class _Lacking(Struct, frozen=True):
    """A module that a part needs and nothing here requires; `source` is the project with the extra that provides it."""

    module: str
    source: str

    @property
    def text(self) -> str:
        """Say it to a person."""
        return (
            f"only with {self.module}, which {f'{self.source} provides' if self.source else 'nothing here requires'}"
        )


class _Judge(Struct, frozen=True):
    """Checks imports and commands: what was loaded with others is right, the rest is asked in a process of its own."""

    environment: Environment
    brought: frozenset[str]
    loaded: Mapping[str, float]
    host: Host

    def import_check(self, one: Distribution, there: Installed, name: str) -> Callable[[], Finding]:
        """Return the check that a module imports."""
        return lambda: self._judge_import(one, there, name)

    def command_check(self, one: Distribution, there: Installed, entry: EntryPoint) -> Callable[[], Finding]:
        """Return the check that a command's launcher is right and its entry point loads."""
        return lambda: self._judge_command(one, there, entry)

    def _lacking(self, ran: Ran, there: Installed) -> _Lacking | None:
        """Return what a part needs that nothing here requires; None where that is not why it fails.

        What is required and not there is a fault of its own, and told as that.
        """
        missing = _missing(ran, self.brought)
        extra = _extra_with(missing, there.metadata) if missing else ""
        source = f"{there.metadata.name}[{extra}]" if extra else ""
        return _Lacking(module=missing, source=source) if missing else None

    def _judge_import(self, one: Distribution, there: Installed, name: str) -> Finding:
        question = f"import {name}"
        if name in self.loaded:
            return Finding(
                subject=one.name,
                question=question,
                verdict=Verdict.PASSED,
                answer="yes",
                elapsed_seconds=self.loaded[name],
            )
        ran = _run(self.environment, "import_one", (name,), self.host)
        lacking = self._lacking(ran, there)
        by_extra = lacking.source if lacking else ""
        # What somebody asked for must import by its own name; its further parts, and what came along for others, may be
        # meant for more than is here.
        own = bool(one.requested) and (name == there.imports[0] or not by_extra)
        if lacking and not own:
            return Finding(subject=one.name, question=question, verdict=Verdict.PASSED, answer=lacking.text)
        if ran.returncode != 0 and is_stray(name, one.name) and name != there.imports[0]:
            answer = f"not counted: {one.name} has a stray folder that does not import"
            return Finding(subject=one.name, question=question, verdict=Verdict.PASSED, answer=answer)
        causes = {3: "it is not there", 4: "something it needs is not there", 5: "it is there, but fails"}
        cause = causes.get(ran.returncode or 0, ran.trouble)
        detail = f": {ran.trouble}" if ran.returncode in causes else ""
        passed = ran.returncode == 0
        remedy = ush("environment", "run", self.environment.name, "--", "python", "-c", f"import {name}")
        if by_extra:
            remedy = ush("package", "get", by_extra, *self.environment.changing)
        return Finding(
            subject=one.name,
            question=question,
            verdict=verdict_of(passed=passed),
            answer="yes" if passed else f"{cause}{detail}",
            remedy="" if passed else remedy,
            elapsed_seconds=ran.elapsed_seconds,
        )

    def _judge_command(self, one: Distribution, there: Installed, entry: EntryPoint) -> Finding:
        path = join(self.environment.layout.scripts, entry.name)
        if other := self._versioned_otherwise(entry.name, there):
            answer = f"present as {other}: its installer adds the version"
            return Finding(
                subject=one.name, question=f"command {entry.name} launches", verdict=Verdict.PASSED, answer=answer
            )
        trouble, lacking = _launcher_trouble(path, self.environment), None
        seconds = self.loaded.get(_word(entry), 0.0)
        if not trouble and _word(entry) not in self.loaded:
            ran = _run(self.environment, "load_entry_point", (entry.module, entry.attribute), self.host)
            lacking = self._lacking(ran, there)
            trouble, seconds = "" if lacking else ran.trouble, ran.elapsed_seconds
        return Finding(
            subject=one.name,
            question=f"command {entry.name} launches",
            verdict=verdict_of(passed=not trouble),
            answer=trouble or (lacking.text if lacking else "") or "its launcher is there, and its entry point loads",
            remedy=ush("environment", "run", self.environment.name, "--", entry.name, "--help") if trouble else "",
            elapsed_seconds=seconds,
        )

    def _versioned_otherwise(self, name: str, there: Installed) -> str:
        """Return another command of the project that is called as this one but for a version; installers of adopted
        environments make launchers for their own version, whatever the metadata of the wheel says.
        """
        folder, stem = self.environment.layout.scripts, VERSION_AT_END.sub("", name)
        if not self.environment.foreign or stem == name or os.path.lexists(join(folder, name)):
            return ""
        names = [one.name for one in there.commands if VERSION_AT_END.sub("", one.name) == stem]
        return next((one for one in names if is_executable_file(join(folder, one))), "")


def _word(entry: EntryPoint) -> str:
    return f"{entry.module}:{entry.attribute}"


def _launcher_trouble(path: Place, environment: Environment) -> str:
    if not os.path.lexists(path):
        return "its launcher is not there"
    if not is_executable_file(path):
        return "its launcher is not executable"
    interpreter = read_executable(path).interpreter
    own = os.path.dirname(interpreter) == environment.layout.scripts
    if not own and interpreter != "/bin/sh":
        return f"its launcher starts another interpreter: {interpreter}"
    return ""


def _run(environment: Environment, name: str, words: Sequence[str], host: Host) -> Ran:
    return run_program(
        (environment.layout.python, "-I", "-B", "-W", "ignore", program(name), *words),
        environment=clean_variables(host),
        timeout_seconds=IMPORT_SECONDS,
    )
