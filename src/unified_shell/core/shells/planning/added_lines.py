"""What one wiring has and another had not, as lines of a plan."""

from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.shells.wiring.wiring import Wiring

__all__ = ["added_lines"]


def added_lines(before: Wiring, after: Wiring) -> tuple[PlanLine, ...]:
    """Return a line for each directory and variable that is new, or at another side, or has another value."""
    known = {(one.variable, one.directory, one.side) for one in before.entries}
    return (
        *(
            plan_line(
                LineKind.ADD,
                About.ENTRY,
                variable=one.variable,
                side=one.side.value,
                directory=one.directory,
            )
            for one in after.entries
            if (one.variable, one.directory, one.side) not in known
        ),
        *(
            plan_line(LineKind.ADD, About.VARIABLE, name=one.name, value=one.value)
            for one in after.variables
            if one not in before.variables
        ),
    )
