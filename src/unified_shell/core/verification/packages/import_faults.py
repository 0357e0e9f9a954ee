"""Why a module does not import in an environment: the cause behind what the interpreter says, and what mends it."""

import os
import re
from collections.abc import Mapping

from msgspec import Struct

from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.registry import Environment, all_environments
from unified_shell.core.findings import Cause
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.module_builds import build_of, missing_in_errors, named_in_errors
from unified_shell.core.interpreters.module_places import foreign_extension, place_of_module
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.machine.processes.processes import Ran
from unified_shell.core.machine.processes.system_packages import install_library_line
from unified_shell.core.next_steps import NextStep, ush

from .installed_metadata import Installed, read_installed

__all__ = ["ImportFault", "ImportSite", "explain_import"]

LIBRARY = re.compile(r"(lib[\w.+-]+\.so[\w.]*): cannot open shared object file")
TOO_OLD = re.compile(r"version `([\w.]+)' not found")


class ImportFault(Struct, frozen=True, kw_only=True):
    """The cause, the same in words, and what to type; an empty remedy where none is known."""

    cause: Cause
    text: str
    remedy: NextStep = ""


class ImportSite(Struct, frozen=True):
    """Where an import was tried: the environment, its interpreter's facts, and what is installed in it."""

    environment: Environment
    facts: InterpreterFacts
    installed: Mapping[NormalizedName, Installed]
    host: Host


def explain_import(name: str, ran: Ran, site: ImportSite) -> ImportFault:
    """Say why an import that was asked for alone failed, by what the interpreter printed and what is on disk."""
    errors = ran.errors.decode("utf-8", "surrogateescape")
    if ran.floods:
        return ImportFault(cause=Cause.LIMIT_EXCEEDED, text=f"its import {ran.trouble}")
    if ran.timed_out:
        return ImportFault(
            cause=Cause.MODULE_HANGS,
            text=f"its import did not end within {ran.elapsed_seconds:.0f} s: it waits for input or a server, or loops",
        )
    if ran.returncode is not None and ran.returncode < 0:
        return ImportFault(cause=Cause.MODULE_CRASHES, text=f"its import {ran.trouble}")
    explained = (
        _of_library(errors, site.host)
        or _of_build(name, errors, site.environment, site.facts)
        or (_of_absence(name, ran, site) if ran.returncode in (3, 4) else None)
    )
    if explained is not None:
        return explained
    return ImportFault(cause=Cause.MODULE_FAILS, text=f"it is there, but fails: {ran.trouble}")


def _of_library(errors: str, host: Host) -> ImportFault | None:
    if missing := LIBRARY.search(errors):
        line = install_library_line(missing[1], host)
        text = f"it needs {missing[1]}, which no searched directory has"
        return ImportFault(cause=Cause.LIBRARY_ABSENT, text=text, remedy=line)
    if lacking := TOO_OLD.search(errors):
        text = f"it needs {lacking[1]}: it was made for a newer system"
        return ImportFault(cause=Cause.SYSTEM_TOO_OLD, text=text)
    return None


def _of_build(name: str, errors: str, environment: Environment, facts: InterpreterFacts) -> ImportFault | None:
    """Explain a compiled part that was made for another interpreter or machine."""
    site = environment.layout.site_packages
    sought = [name, *missing_in_errors(errors)]
    parts = (part for part in sought if not place_of_module(part, facts, [site]))
    foreign = next(filter(None, (foreign_extension(part, facts, [site]) for part in parts)), None)
    for file in (*([foreign] if foreign else []), *named_in_errors(errors)):
        build = build_of(file)
        module = os.path.basename(file).partition(".")[0]
        if build.version and build.version != environment.short_version:
            made = f"{build.implementation.replace('cpython', 'CPython').replace('pypy', 'PyPy')} {build.version}"
            text = f"{module} was built for {made}; {environment.name} has {environment.short_version}"
            return ImportFault(cause=Cause.OTHER_VERSION_BUILD, text=text)
        if misfit := build.misfit(facts.full_version, facts.word_size_bits, facts.architecture):
            return ImportFault(cause=Cause.OTHER_MACHINE, text=f"{module} {misfit}")
    return None


def _of_absence(name: str, ran: Ran, site: ImportSite) -> ImportFault:
    """Explain a module that is not there, or another that it needs."""
    environment, installed, host = site.environment, site.installed, site.host
    said = ran.output.decode("utf-8", "replace").split()
    missing = said[-1] if ran.returncode == 4 and said else name
    project = installed.get(canonicalize_name(missing))
    if missing == name and project is not None and project.imports and name not in project.imports:
        run = ush("verify", f"module:{project.imports[0]}@{environment.name}")
        text = f"the import name of {name} is {project.imports[0]}"
        return ImportFault(cause=Cause.OTHER_IMPORT_NAME, text=text, remedy=run)
    owner, brings = _elsewhere(missing, environment, host)
    get = ush("package", "get", brings, *environment.changing) if brings else ""
    if missing != name:
        text = f"it needs the module {missing}, which {environment.name} does not have"
        more = f"; {owner} has it, from {brings}" if owner else ""
        return ImportFault(cause=Cause.DEPENDENCY_ABSENT, text=f"{text}{more}", remedy=get)
    if owner:
        text = f"it is in environment {owner}, from {brings}, not in {environment.name}"
        return ImportFault(cause=Cause.MODULE_ELSEWHERE, text=text, remedy=get)
    return ImportFault(
        cause=Cause.MODULE_ABSENT,
        text=f"{environment.name} does not have it",
        remedy=ush("look", f"module:{name}", why="who has it"),
    )


def _elsewhere(module: str, environment: Environment, host: Host) -> tuple[str, str]:
    """Return another environment that has a module, and the project that brings it there; empty for none."""
    top = module.partition(".")[0]
    for other in all_environments(host, locations_of(host)):
        if other.prefix == environment.prefix or not other.contents.is_python:
            continue
        for project, there in read_installed(other).items():
            if top in {one.partition(".")[0] for one in there.imports}:
                return other.name, project
    return "", ""
