"""A person's own checks, from a file of `[[check]]` tables: tried in a new session's variables, or in an environment."""

import os
from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.catalogs.check_tables import parse_checks
from unified_shell.core.environments.model.registry import find_environment
from unified_shell.core.environments.running import entered_variables
from unified_shell.core.errors import CouldNot, UshError, os_error_text
from unified_shell.core.expectations.carrying_out import Setting, carry_out
from unified_shell.core.expectations.expectation import Expectation
from unified_shell.core.findings import Cause, Finding
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.shells.sessions.path_faults import first_on
from unified_shell.core.verification.targets.target import Kind, Target

from .checks.check import Surroundings, fault
from .verifying import Verified

__all__ = ["read_own_checks", "verify_own_checks"]


def read_own_checks(file: str, around: Surroundings) -> tuple[Expectation, ...]:
    """Return the checks of a file; raises CouldNot, and DescriptionBroken with every mistake and its line."""
    place = join(around.host.working_directory, file)
    try:
        content = read_file(place)
    except OSError as error:
        raise CouldNot(
            f"{file} cannot be read: {os_error_text(error)}", next_step=Command(words=("ls", "-l", file))
        ) from error
    if content is None:
        raise CouldNot(f"there is no file {file}", next_step=ush("verify", "--help"))
    return parse_checks(content[0], around.shown(place))


def verify_own_checks(checks: Sequence[Expectation], file: str, around: Surroundings) -> Verified:
    """Carry out the checks of a file; what is named in them relative to a folder begins in that of the file."""
    place = join(around.host.working_directory, file)
    findings = [_carried_out(one, os.path.dirname(place), around) for one in checks]
    return Verified(target=Target(kind=Kind.OWN, name=place), findings=tuple(findings))


def _carried_out(check: Expectation, folder: str, around: Surroundings) -> Finding:
    try:
        setting = _setting(check, folder, around)
    except UshError as error:
        return fault(check.title, "can be tried", error.message, Cause.CONTENTS_UNREADABLE, error.next_step)
    name = check.environment or check.kernel
    found = carry_out(check, name or "your session", setting)
    words = check.command or check.serves
    if found.cause is Cause.NOT_FOUND and words and "/" not in words[0]:
        return replace(found, remedy=ush("look", words[0]))
    if found.is_fault and check.module and name:
        return replace(found, remedy=ush("verify", f"module:{check.module}@{name}"))
    return found


def _setting(check: Expectation, folder: str, around: Surroundings) -> Setting:
    """Return the variables of a new session, with an environment entered where one is named."""
    host = around.host
    opened = next((one.session for one in around.sessions.opened if not one.session.trouble), None)
    variables = dict(opened.variables) if opened is not None else host.environment()
    name = check.environment or check.kernel
    if not name:
        python = first_on(variables.get("PATH", "").split(os.pathsep), "python3") or "python3"
        return Setting(variables=variables, folder=folder, python=python, host=host)
    environment = find_environment(name, host, around.locations)
    entered = entered_variables(environment.prefix, replace(host, variables=tuple(variables.items())))
    return Setting(variables=entered, folder=folder, python=environment.layout.python, host=host)
