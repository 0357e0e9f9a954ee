"""What `ush look` shows of a module."""

from unified_shell.core.commands.states import State
from unified_shell.core.machine.places import shown
from unified_shell.core.verification.module_states import ModuleReport

from .screen import Screen
from .tables import heading, print_table

__all__ = ["print_module"]

MEANINGS = {
    State.READY: "what a session starts imports it",
    State.HIDDEN: "not what a session starts, but others import it",
    State.MISMATCHED: "it was compiled for another interpreter",
    State.BROKEN: "it is there, but does not load",
    State.ABSENT: "no interpreter or environment here has it",
}


def print_module(screen: Screen, report: ModuleReport, home: str) -> None:
    """Write who has a module, in which state, and who does not."""
    heading(screen, f"module {report.name}: {report.state.value} — {MEANINGS[report.state]}")
    rows = [
        (
            one.state.value,
            one.owner,
            f"{one.word_size_bits} bit" if one.word_size_bits else "",
            shown(one.file, home) if one.file else "",
            one.why,
        )
        for one in report.holders
    ]
    if rows:
        print_table(screen, ("state", "who", "", "file", "why"), rows, indent=2)
    if report.without:
        screen.result(f"  asked, and without it: {', '.join(report.without)}")
    if report.import_as:
        screen.result(f"  a project of that name is there; it is imported as: {', '.join(report.import_as)}")
    if report.remedy:
        screen.result(f"Next: {report.remedy}")
