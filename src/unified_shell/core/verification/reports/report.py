"""What a verification found, as one value that is kept, compared and shown."""

from collections.abc import Sequence

import msgspec
from msgspec import Struct

from unified_shell.core.errors import CouldNot, os_error_text
from unified_shell.core.findings import Finding, Verdict
from unified_shell.core.machine.clock import iso_time, now_seconds
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import from_json_text, join
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.verifying import Verified

__all__ = ["MachineFacts", "Report", "TargetReport", "read_report", "report_of"]


class MachineFacts(Struct, frozen=True, kw_only=True):
    """The machine that was verified."""

    system: str
    architecture: str
    word_size_bits: int
    libc: str


class TargetReport(Struct, frozen=True, kw_only=True):
    """A target, by its title and kind, and what was found."""

    target: str
    kind: str
    findings: tuple[Finding, ...]


class Report(Struct, frozen=True, kw_only=True):
    """All of it: when (UTC), where, how many checks ended in which way, and each target."""

    made: str
    machine: MachineFacts
    counts: dict[str, int]
    targets: tuple[TargetReport, ...]

    @property
    def findings(self) -> tuple[Finding, ...]:
        """All findings of all targets."""
        return tuple(finding for one in self.targets for finding in one.findings)


def report_of(found: Sequence[Verified], host: Host) -> Report:
    """Return the report."""
    return Report(
        made=iso_time(now_seconds()),
        machine=MachineFacts(
            system=host.system_text,
            architecture=host.architecture,
            word_size_bits=host.word_size_bits,
            libc=str(host.libc),
        ),
        counts={one.value: sum(each.count(one) for each in found) for one in Verdict},
        targets=tuple(
            TargetReport(target=one.target.title(), kind=one.target.kind.value, findings=one.findings)
            for one in found
        ),
    )


def read_report(file: str, working_directory: str) -> Report:
    """Return the report that `verify --json` wrote into a file; raises CouldNot for what is none."""
    place = join(working_directory, file)
    written = ush("verify", "--json", why="writes one; redirect it into a file")
    try:
        content = read_file(place)
        if content is None:
            raise CouldNot(f"there is no file {file}", next_step=written)
        fields = from_json_text(content[0])
        if not isinstance(fields, dict) or fields.get("kind") != "verification":
            raise CouldNot(f"{file} is not a report of a verification", next_step=written)
        return msgspec.convert(fields, Report)
    except OSError as error:
        raise CouldNot(f"{file} cannot be read: {os_error_text(error)}", next_step=written) from error
    except (ValueError, msgspec.ValidationError) as error:
        raise CouldNot(f"{file} is not a report of a verification: {error}", next_step=written) from error
