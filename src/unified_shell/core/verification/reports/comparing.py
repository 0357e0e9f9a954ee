"""What changed between two verifications: faults that came, went or stayed, targets that were not there before."""

from msgspec import Struct

from unified_shell.core.findings import Finding

from .report import Report

__all__ = ["Difference", "difference"]


class Difference(Struct, frozen=True, kw_only=True):
    """Faults by whether they are new since an earlier report, still there, or gone; targets that came or went.

    `slower` are checks that took at least twice as long, and half a second longer: the question, seconds then and now.
    """

    since: str
    new: tuple[Finding, ...]
    still: tuple[Finding, ...]
    gone: tuple[Finding, ...]
    new_targets: tuple[str, ...]
    gone_targets: tuple[str, ...]
    slower: tuple[tuple[str, float, float], ...]


def difference(before: Report, after: Report) -> Difference:
    """Compare two reports; a fault is the same where the same check of the same subject says the same."""
    was, now = _faults(before), _faults(after)
    targets_before, targets_after = ([one.target for one in each.targets] for each in (before, after))
    took = {_key(one): one.elapsed_seconds for one in before.findings}
    slower = [
        (f"{one.subject}: {one.question}", took[_key(one)], one.elapsed_seconds)
        for one in after.findings
        if _key(one) in took and one.elapsed_seconds > max(2 * took[_key(one)], took[_key(one)] + 0.5)
    ]
    return Difference(
        since=before.made,
        new=tuple(one for key, one in now.items() if key not in was),
        still=tuple(one for key, one in now.items() if key in was),
        gone=tuple(one for key, one in was.items() if key not in now),
        new_targets=tuple(one for one in targets_after if one not in targets_before),
        gone_targets=tuple(one for one in targets_before if one not in targets_after),
        slower=tuple(slower),
    )


def _key(one: Finding) -> tuple[str, str]:
    return one.subject, one.question


def _faults(report: Report) -> dict[tuple[str, str, str], Finding]:
    return {(*_key(one), one.answer): one for one in report.findings if one.is_fault}
