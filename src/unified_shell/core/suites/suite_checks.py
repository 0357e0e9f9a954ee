"""Whether a suite works: its programs find their libraries, in its own tree where it has them, and its checks pass."""

import os
from collections.abc import Iterator

from unified_shell.core.catalogs.description import Description
from unified_shell.core.commands.judging import judge_file
from unified_shell.core.commands.states import State
from unified_shell.core.expectations.carrying_out import Setting, carry_out
from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.common_dirs import absent_volume
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, inside, join
from unified_shell.core.machine.programs.elf import read_elf
from unified_shell.core.machine.programs.shared_libraries import resolve_libraries
from unified_shell.core.next_steps import ush

from .managed_suites import ManagedSuite
from .suite_wiring import commands_of, filled

__all__ = ["check_suite", "suite_variables"]


def check_suite(suite: ManagedSuite, host: Host) -> tuple[Finding, ...]:
    """Judge each program that a suite offers by its file, then carry out the checks of its description."""
    found = tuple(_programs(suite, host))
    if any(one.is_fault for one in found):
        return found
    variables = suite_variables(suite.description, suite.prefix, host)
    setting = Setting(variables=variables, folder=suite.prefix, python="python3", host=host)
    remedy = ush("undo", why="its description promises this")
    subject = f"suite {suite.name}"
    return (*found, *(carry_out(one, subject, setting, remedy=remedy) for one in suite.description.checks))


def suite_variables(described: Description, prefix: Place, host: Host) -> dict[str, str]:
    """Return this session's variables with what a suite offers in front, as a new session will have them."""
    variables = host.environment()
    for name, folder in reversed(described.offers.search_paths):
        rest = variables.get(name, "")
        variables[name] = os.pathsep.join(filter(None, (join(prefix, filled(folder, prefix)), rest)))
    return variables | {name: filled(value, prefix) for name, value in described.offers.variables}


def _programs(suite: ManagedSuite, host: Host) -> Iterator[Finding]:
    prefix, subject = suite.prefix, f"suite {suite.name}"
    if not os.path.isdir(prefix):
        volume = absent_volume(prefix)
        yield Finding(
            subject=subject,
            question="is there",
            verdict=Verdict.FAULT,
            answer=f"the volume {volume} is not mounted" if volume else f"{prefix} does not exist",
            cause=Cause.VOLUME_ABSENT if volume else Cause.DIRECTORY_ABSENT,
            remedy=ush("suite", "drop", suite.name),
        )
        return
    own = {name for _, _, names in os.walk(prefix) for name in names if ".so" in name}
    count, entries = 0, host.search_path()
    folders = [join(prefix, filled(f, prefix)) for name, f in suite.description.offers.search_paths if name == "PATH"]
    for folder in folders:
        for name in commands_of(prefix, suite.description):
            path = join(folder, name)
            if not os.path.isfile(path):
                continue
            judged = judge_file(path, host, entries=(folder, *entries))
            trouble, cause = (judged.why, judged.cause) if judged.state is not State.READY else ("", Cause.UNKNOWN)
            if not trouble and read_elf(path) is not None:
                # An own library that is passed over for the system's is another version, and may answer all the same.
                strays = [
                    f"it loads {place} instead of the suite's own {library}"
                    for library, place in resolve_libraries(path).items()
                    if library in own and place and not inside(os.path.realpath(place), os.path.realpath(prefix))
                ]
                trouble, cause = (strays[0], Cause.SHADOWED) if strays else ("", Cause.UNKNOWN)
            count += 1
            if trouble:
                yield Finding(
                    subject=subject,
                    question=f"{name} can be started",
                    verdict=Verdict.FAULT,
                    answer=trouble,
                    cause=cause,
                    remedy=ush("look", path),
                )
                return
    yield Finding(
        subject=subject,
        question="its programs can be started, with their own libraries",
        verdict=Verdict.PASSED,
        answer=f"{count} program{'' if count == 1 else 's'}",
    )
