"""Next steps, as a person types them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.machine.places import typed

if TYPE_CHECKING:
    from unified_shell.core.next_steps import NextStep

__all__ = ["next_step_text"]


def next_step_text(step: NextStep, home: str = "") -> str:
    """Return a next step as it is written below an error or beside a finding: quoted where it must be, `~` for the home."""
    if isinstance(step, str):
        return step
    if isinstance(step, tuple):
        return "   ".join(next_step_text(part, home) for part in step)
    line = " ".join(typed(word, home) for word in step.words)
    return f"{line}   ({step.why})" if step.why else line
