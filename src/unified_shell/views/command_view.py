"""Commands and their candidates, as a person reads them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import ush

from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.commands.patterns import MatchedName
    from unified_shell.core.commands.preferred import Choice

    from .terminal.screen import Screen

__all__ = ["print_choices", "print_names"]


def print_choices(screen: Screen, choices: Sequence[Choice], home: str) -> None:
    """Write what was decided on, one row each."""
    if not choices:
        screen.result("No command is preferred or installed yet.")
        screen.next((ush("command", "list", "PATTERN"), "or", ush("command", "prefer", "NAME", "CANDIDATE")))
        return
    rows = [
        (
            one.name,
            shown(one.candidate, home),
            f"got from {one.distribution}" if one.distribution else "preferred",
            ", ".join(name for name in one.names[:5] if name != one.name) + (" …" if len(one.names) > 5 else ""),
            one.scope.value,
        )
        for one in choices
    ]
    print_table(screen, ("name", "answers", "how", "with it", "for"), rows)


def print_names(
    screen: Screen,
    pattern: str,
    names: Sequence[MatchedName],
    choices: Sequence[Choice],
    *,
    folders: Sequence[str],
    home: str,
) -> None:
    """Write every name that fits with its candidates, the one that answers now first; `folders` are those of the links."""
    decided = {name: one for one in reversed(choices) for name in one.names}
    heading(screen, f"{pattern}: {len(names)} name{'' if len(names) == 1 else 's'}")
    rows = []
    for one in names:
        choice = decided.get(one.name)
        # The link is how the choice is made, not one more candidate.
        links = [path for path in one.candidates if choice is not None and path.rpartition("/")[0] in folders]
        paths = [path for path in one.candidates if path not in links]
        for number, path in enumerate(paths):
            mark = "decided on" if choice is not None and _is_choice(choice, path) else ""
            rows.append(("" if number else one.name, "" if number else one.state.value, shown(path, home), mark))
    if rows:
        print_table(screen, ("name", "state", "candidates", "in new sessions"), rows, indent=2)


def _is_choice(choice: Choice, path: str) -> bool:
    return path.rpartition("/")[0] == choice.candidate.rpartition("/")[0]
