"""One question to one interpreter: has it a module? From files first, then by importing it there."""

import os
from collections.abc import Callable, Mapping

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.commands.states import State
from unified_shell.core.environments.libraries.library_checks import interpreter_name
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.running import entered_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.languages import Language
from unified_shell.core.interpreters.module_builds import build_of, missing_in_errors, named_in_errors
from unified_shell.core.interpreters.module_places import foreign_extension, place_of_module
from unified_shell.core.interpreters.other_languages import OtherInterpreter, language_named, undisturbed
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.machine.programs.executables import read_executable
from unified_shell.core.verification.programs import program

__all__ = ["AskedPython", "Holder", "entered", "library_question", "other_question", "python_question"]

# Large modules take seconds when they are first loaded.
MODULE_SECONDS = 30.0
IMPORT_CODES = {3: State.ABSENT, 4: State.BROKEN, 5: State.BROKEN}


class Holder(Struct, frozen=True, kw_only=True):
    """What a module is to one interpreter or environment, named by `owner`; `file` is empty where it is unknown."""

    owner: str
    language: str
    version: str
    word_size_bits: int
    executable: Place
    environment: str
    state: State
    file: Place
    why: str = ""


class AskedPython(Struct, frozen=True, kw_only=True):
    """Whom to ask, with the variables that it would be started with."""

    owner: str
    executable: Place
    facts: InterpreterFacts
    variables: Mapping[str, str]
    environment: str = ""
    is_session: bool = False

    def misfit(self, file: str) -> str:
        """Say why a compiled file cannot be loaded by it; empty where nothing speaks against it."""
        return build_of(file).misfit(self.facts.full_version, self.facts.word_size_bits, self.facts.architecture)


def python_question(name: str, one: AskedPython) -> Callable[[], Holder]:
    """Return the question to a Python."""

    def ask() -> Holder:
        more = [folder for folder in one.variables.get("PYTHONPATH", "").split(os.pathsep) if folder]
        there = place_of_module(name, one.facts, more)
        ran = run_program(
            (one.executable, "-B", "-W", "ignore", program("import_one"), name),
            environment=one.variables,
            timeout_seconds=MODULE_SECONDS,
        )
        state = State.READY if ran.returncode == 0 else IMPORT_CODES.get(ran.returncode or 0, State.BROKEN)
        why = "" if state in (State.READY, State.ABSENT) else ran.trouble
        file = _last_line(ran.output) if state is State.READY else str(there or "")
        # It, or a compiled part of it that is not found, may be there for another interpreter.
        missing = missing_in_errors(ran.errors.decode("utf-8", "replace")) if state is not State.READY else []
        sought = [name, *(part for part in missing if part.startswith(f"{name.partition('.')[0]}."))]
        foreign = next(filter(None, (foreign_extension(part, one.facts, more) for part in sought)), None)
        if state is not State.READY and foreign and not place_of_module(sought[-1], one.facts, more):
            state, file, why = State.MISMATCHED, str(foreign), one.misfit(foreign)
        elif state not in (State.READY, State.ABSENT):
            for part in named_in_errors(ran.errors.decode("utf-8", "surrogateescape")):
                if misfit := one.misfit(part):
                    state, file, why = State.MISMATCHED, part, misfit
        return _holder(one, state, file, why)

    return ask


def _holder(one: AskedPython, state: State, file: str, why: str) -> Holder:
    return Holder(
        owner=one.owner,
        language="Python",
        version=one.facts.full_version,
        word_size_bits=one.facts.word_size_bits,
        executable=one.executable,
        environment=one.environment,
        state=state,
        file=Place(file),
        why=why,
    )


def other_question(name: str, one: OtherInterpreter, variables: Mapping[str, str]) -> Callable[[], Holder]:
    """Return the question to an interpreter of another language, in a session with these variables."""
    question = _Question(
        owner=f"{one.title} {one.version}",
        program=one.names[0],
        version=one.version,
        word_size_bits=one.word_size_bits,
        architecture=one.architecture,
        variables=undisturbed(language_named(one.language), variables),
    )
    return lambda: question.ask(name, language_named(one.language))


def library_question(name: str, one: Environment, host: Host, session: Mapping[str, str]) -> Callable[[], Holder]:
    """Return the question to an environment of another language, as a session asks it that has entered it."""
    language = language_named(one.contents.language)
    program = join(one.layout.scripts, interpreter_name(one.contents))
    header = read_executable(os.path.realpath(program))
    own = {each.name: each.value for each in one.contents.wiring.variables}
    question = _Question(
        owner=f"environment {one.name}",
        program=program,
        version=one.contents.python,
        word_size_bits=header.word_size_bits,
        architecture=header.architecture,
        variables={**undisturbed(language, entered(one.prefix, host, session)), **own},
        environment=one.name,
    )
    return lambda: question.ask(name, language)


class _Question(Struct, frozen=True, kw_only=True):
    """An interpreter of another language than Python, and what it is started with."""

    owner: str
    program: Place
    version: str
    word_size_bits: int
    architecture: str
    variables: Mapping[str, str]
    environment: str = ""

    def ask(self, name: str, language: Language) -> Holder:
        """Return what a module is to it."""
        ran = run_program(
            (self.program, *(word.replace("{name}", name) for word in language.module)),
            environment=self.variables,
            timeout_seconds=MODULE_SECONDS,
            given=language.module_input.replace("{name}", name).encode(),
        )
        errors = ran.errors.decode("utf-8", "replace")
        state, why, file = State.READY, "", _last_line(ran.output) if ran.returncode == 0 else ""
        if ran.returncode != 0:
            absent = language.says_absent(name, errors)
            state = State.ABSENT if absent else State.BROKEN
            why = "" if absent else _first_line(ran.errors) or ran.trouble
            for part in named_in_errors(errors):
                # Versions of other languages are not in the names of their files.
                build = replace(build_of(part), version="")
                if misfit := build.misfit("", self.word_size_bits, self.architecture):
                    state, file, why = State.MISMATCHED, part, misfit
        return Holder(
            owner=self.owner,
            language=language.title,
            version=self.version,
            word_size_bits=self.word_size_bits,
            executable=self.program,
            environment=self.environment,
            state=state,
            file=Place(file),
            why=why,
        )


def entered(prefix: Place, host: Host, session: Mapping[str, str]) -> dict[str, str]:
    """Return the variables of a new session in which an environment was entered."""
    return entered_variables(prefix, replace(host, variables=tuple(session.items())))


def _last_line(output: bytes) -> str:
    lines = os.fsdecode(output).strip().splitlines()
    return lines[-1] if lines else ""


def _first_line(errors: bytes) -> str:
    lines = errors.decode("utf-8", "replace").strip().splitlines()
    return lines[0] if lines else ""
