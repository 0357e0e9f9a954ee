"""Whether a suite works: its programs find their libraries, in its own tree where it has them, and its checks pass."""

import os
from collections.abc import Iterator

from unified_shell.core.commands.judging import judge_file
from unified_shell.core.commands.states import State
from unified_shell.core.expectations.carrying_out import Setting, carry_out
from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.common_dirs import absent_volume
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import inside, join
from unified_shell.core.machine.programs.elf import read_elf
from unified_shell.core.machine.programs.shared_libraries import resolve_libraries
from unified_shell.core.next_steps import ush

from .managed_suites import ManagedSuite
from .module_checks import module_findings
from .script_checks import script_findings
from .suite_offers import commands_of, session_variables

__all__ = ["check_suite"]


def check_suite(suite: ManagedSuite, host: Host) -> tuple[Finding, ...]:
    """Judge each program that a suite offers by its file, then carry out the checks of its description."""
    found = tuple(_programs(suite, host))
    if any(one.is_fault for one in found):
        return found
    found += (*script_findings(suite, host), *module_findings(suite, host))
    variables = session_variables(suite.offered, host)
    setting = Setting(variables=variables, folder=suite.prefix, python="python3", host=host)
    remedy = ush("undo", why="its description promises this")
    subject = f"suite {suite.name}"
    return (*found, *(carry_out(one, subject, setting, remedy=remedy) for one in suite.description.checks))


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
            remedy="mount it, then verify again" if volume else ush("suite", "drop", suite.name),
        )
        return
    own = {name for _, _, names in os.walk(prefix) for name in names if ".so" in name}
    count, entries = 0, host.search_path()
    offered = suite.offered
    for folder in offered.command_folders:
        for name in commands_of(offered):
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
