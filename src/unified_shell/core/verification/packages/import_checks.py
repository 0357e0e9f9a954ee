"""The checks that load code: modules import, and the entry points of commands are there."""

import os
import re
from collections.abc import Callable, Iterable, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.distributions.entry_points import EntryPoint
from unified_shell.core.distributions.import_names import is_stray
from unified_shell.core.distributions.metadata import Metadata
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.findings import Cause, Finding, Mend, MendKind, Verdict
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.pool import map_at_once
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.machine.programs.executables import is_executable_file, read_executable
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.programs import program

from .import_faults import ImportSite, explain_import
from .installed_metadata import Installed
from .requirements_here import requirements_here
from .shared_imports import Loaded, loaded_together, word_of

__all__ = ["IMPORT_SECONDS", "check_imports", "import_alone"]

# Large packages load much at their first import, from a slow volume for a long time.
IMPORT_SECONDS = 120.0
WORKERS = 4
VERSION_AT_END = re.compile(r"-?\d+(\.\d+)*$")
EXTRA = re.compile(r"""extra\s*==\s*['"]([^'"]+)['"]""")


def check_imports(
    environment: Environment,
    chosen: Sequence[Distribution],
    installed: Mapping[NormalizedName, Installed],
    facts: InterpreterFacts,
    host: Host,
    *,
    apart: bool = False,
    limit_seconds: float = IMPORT_SECONDS,
) -> Iterable[Finding]:
    """Judge that each module of these distributions imports, and each of their commands launches.

    What loads beside others is right; the rest is asked again, each alone in a new interpreter.
    """
    brought = frozenset(name.split(".")[0] for there in installed.values() for name in there.imports)
    here = [(one, installed[one.name]) for one in chosen if one.name in installed]
    loaded = loaded_together(
        [one.name for one, _ in here],
        installed,
        facts,
        environment,
        host,
        apart=apart,
        limit_seconds=limit_seconds,
    )
    judge = _Judge(environment, brought, loaded, installed, facts, host, limit_seconds)
    work: list[Callable[[], Finding]] = []
    for one, there in here:
        work += [judge.import_check(one, there, name) for name in there.imports]
        work += [judge.command_check(one, there, entry) for entry in there.commands]
    return map_at_once(lambda check: check(), work, workers=WORKERS)


def import_alone(name: str, environment: Environment, host: Host, *, limit_seconds: float = IMPORT_SECONDS) -> Ran:
    """Import a module in a new interpreter of an environment."""
    return _run(environment, "import_one", (name,), host, limit_seconds)


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
    loaded: Loaded
    installed: Mapping[NormalizedName, Installed]
    facts: InterpreterFacts
    host: Host
    limit_seconds: float

    def import_check(self, one: Distribution, there: Installed, name: str) -> Callable[[], Finding]:
        """Return the check that a module imports."""
        return lambda: self._judge_import(one, there, name)

    def command_check(self, one: Distribution, there: Installed, entry: EntryPoint) -> Callable[[], Finding]:
        """Return the check that a command's launcher is right and its entry point loads."""
        return lambda: self._judge_command(one, there, entry)

    def _lacking(self, missing: str, there: Installed) -> _Lacking | None:
        """Return what a part needs that nothing here requires; None where that is not why it fails: a part of something
        that is there is no option, it is broken.

        What is required and not there is a fault of its own, and told as that.
        """
        if not missing or "." in missing or missing in self.brought or self._is_incomplete(there):
            return None
        extra = _extra_with(missing, there.metadata)
        return _Lacking(module=missing, source=f"{there.metadata.name}[{extra}]" if extra else "")

    def _is_incomplete(self, there: Installed) -> bool:
        """Tell whether a distribution lacks something that it requires, or that was recorded: then that may be why."""
        recorded = {one.name for one in self.environment.contents.distributions}
        required = requirements_here(self.installed, self.facts.markers(), self.environment)
        needed = {canonicalize_name(one.name) for one in required[canonicalize_name(there.metadata.name)]}
        return bool((needed | recorded) - self.installed.keys())

    def _judge_import(self, one: Distribution, there: Installed, name: str) -> Finding:
        question = f"import {name}"
        if name in self.loaded.seconds:
            seconds = self.loaded.seconds[name]
            return Finding(
                subject=one.name, question=question, verdict=Verdict.PASSED, answer="yes", elapsed_seconds=seconds
            )
        missing = self.loaded.lacking.get(name, "")
        lacking = self._lacking(missing if missing != name else "", there)
        if lacking and not self._is_own(name, one, there, lacking):
            return Finding(subject=one.name, question=question, verdict=Verdict.NOT_TRIED, answer=lacking.text)
        ran = import_alone(name, self.environment, self.host, limit_seconds=self.limit_seconds)
        if ran.returncode == 0:
            seconds = ran.elapsed_seconds
            return Finding(
                subject=one.name, question=question, verdict=Verdict.PASSED, answer="yes", elapsed_seconds=seconds
            )
        lacking = self._lacking(_missing(ran), there)
        by_extra = lacking.source if lacking else ""
        if lacking and not self._is_own(name, one, there, lacking):
            return Finding(subject=one.name, question=question, verdict=Verdict.NOT_TRIED, answer=lacking.text)
        if is_stray(name, one.name) and name != there.imports[0]:
            answer = f"{one.name} has a stray folder that does not import"
            return Finding(subject=one.name, question=question, verdict=Verdict.NOT_TRIED, answer=answer)
        site = ImportSite(self.environment, self.facts, self.installed, self.host)
        why = explain_import(name, ran, site)
        remedy = why.remedy or ush(
            "environment", "run", self.environment.name, "--", "python", "-c", f"import {name}"
        )
        if by_extra:
            remedy = ush("package", "get", by_extra, *self.environment.changing)
        return Finding(
            subject=one.name,
            question=question,
            verdict=Verdict.FAULT,
            answer=why.text,
            cause=why.cause,
            remedy=remedy,
            elapsed_seconds=ran.elapsed_seconds,
        )

    @staticmethod
    def _is_own(name: str, one: Distribution, there: Installed, lacking: _Lacking) -> bool:
        """Tell whether a module must import whatever it lacks: what somebody asked for, by its own name. Its further parts,
        and what came along for others, may be meant for more than is here.
        """
        return bool(one.requested) and (name == there.imports[0] or not lacking.source)

    def _judge_command(self, one: Distribution, there: Installed, entry: EntryPoint) -> Finding:
        path = join(self.environment.layout.scripts, entry.name)
        question = f"command {entry.name} launches"
        if other := self._versioned_otherwise(entry.name, there):
            answer = f"present as {other}: its installer adds the version"
            return Finding(subject=one.name, question=question, verdict=Verdict.PASSED, answer=answer)
        trouble, cause = _launcher_trouble(path, self.environment)
        if trouble:
            foreign = self.environment.foreign
            mend = None if foreign else Mend(MendKind.ENVIRONMENT, self.environment.name)
            mending = ush("verify", self.environment.name, "--mend", *self.environment.scope_words)
            return Finding(
                subject=one.name,
                question=question,
                verdict=Verdict.FAULT,
                answer=trouble,
                cause=cause,
                remedy="" if foreign else mending,
                mend=mend,
            )
        answer, seconds = (
            "its launcher is there, and its entry point loads",
            self.loaded.seconds.get(word_of(entry), 0.0),
        )
        if word_of(entry) in self.loaded.seconds:
            return Finding(
                subject=one.name, question=question, verdict=Verdict.PASSED, answer=answer, elapsed_seconds=seconds
            )
        lacking = self._lacking(self.loaded.lacking.get(word_of(entry), ""), there)
        if lacking is not None:
            return Finding(subject=one.name, question=question, verdict=Verdict.NOT_TRIED, answer=lacking.text)
        words = (entry.module, entry.attribute)
        ran = _run(self.environment, "load_entry_point", words, self.host, self.limit_seconds)
        if (lacking := self._lacking(_missing(ran), there)) is not None:
            return Finding(subject=one.name, question=question, verdict=Verdict.NOT_TRIED, answer=lacking.text)
        passed = ran.returncode == 0
        run = ush("environment", "run", self.environment.name, "--", entry.name, "--help")
        return Finding(
            subject=one.name,
            question=question,
            verdict=Verdict.PASSED if passed else Verdict.FAULT,
            answer=answer if passed else ran.trouble,
            cause=Cause.UNKNOWN if passed else _entry_cause(ran),
            remedy="" if passed else run,
            elapsed_seconds=ran.elapsed_seconds,
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


def _missing(ran: Ran) -> str:
    """Return the module that a part says it lacks; empty where that is not why it fails."""
    lines = ran.output.decode("utf-8", "replace").split()
    return lines[-1] if ran.returncode == 4 and lines else ""


def _entry_cause(ran: Ran) -> Cause:
    if ran.returncode is not None and ran.returncode < 0:
        return Cause.MODULE_CRASHES
    if ran.timed_out:
        return Cause.MODULE_HANGS
    said = ran.errors.decode("utf-8", "replace")
    absent = "AttributeError" in said or "is no function" in said or "has no attribute" in said
    return Cause.ENTRY_POINT_ABSENT if absent else Cause.MODULE_FAILS


def _launcher_trouble(path: Place, environment: Environment) -> tuple[str, Cause]:
    if not os.path.lexists(path):
        return "its launcher is not there", Cause.LAUNCHER_ABSENT
    if not is_executable_file(path):
        return "its launcher is not executable", Cause.NOT_EXECUTABLE
    interpreter = read_executable(path).interpreter
    own = os.path.dirname(interpreter) == environment.layout.scripts
    if not own and interpreter != "/bin/sh":
        return f"its launcher starts another interpreter: {interpreter}", Cause.LAUNCHER_FOREIGN
    return "", Cause.UNKNOWN


def _run(environment: Environment, name: str, words: Sequence[str], host: Host, limit_seconds: float) -> Ran:
    return run_program(
        (environment.layout.python, "-I", "-B", "-W", "ignore", program(name), *words),
        environment=clean_variables(host),
        timeout_seconds=limit_seconds,
    )
