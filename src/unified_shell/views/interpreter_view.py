"""Interpreters, as a person reads them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.interpreters.getting.parts import remedy_for
from unified_shell.core.machine.places import shown

from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.interpreters.adopted import Adopted
    from unified_shell.core.interpreters.discovery import AllInterpreters, FoundInterpreter
    from unified_shell.core.interpreters.facts import InterpreterFacts
    from unified_shell.core.interpreters.managed import ManagedInterpreter
    from unified_shell.core.interpreters.other_languages import OtherInterpreter

    from .terminal.screen import Screen

__all__ = ["print_all_interpreters", "print_interpreters", "print_other_interpreters"]


def print_all_interpreters(
    screen: Screen, found: AllInterpreters, kept: Sequence[ManagedInterpreter], adopted: Sequence[Adopted], home: str
) -> None:
    """Write all interpreters: found, of other languages, and those that are kept."""
    heading(screen, "Python")
    if found.python:
        print_interpreters(screen, found.python, home)
    else:
        screen.result("  none")
    if found.others:
        heading(screen, "\nOther languages")
        print_other_interpreters(screen, found.others, home)
    heading(screen, "\nManaged by ush")
    rows = [
        (one.name, one.version, shown(one.executable, home), f"from {_form(one)}{shown(one.origin, home)}")
        for one in kept
    ]
    rows += [(one.name, one.version, shown(one.executable, home), "adopted in place") for one in adopted]
    if rows:
        print_table(screen, ("name", "version", "where", "how"), rows, indent=2)
    else:
        screen.result("  none; give a path wherever an interpreter is expected")


def _form(one: ManagedInterpreter) -> str:
    return {"source": "the source ", "packed": "a packed one, "}.get(one.form, "")


def print_interpreters(screen: Screen, found: Sequence[FoundInterpreter], home: str) -> None:
    """Write the interpreters, one row each, those that do not start with the cause."""
    rows = []
    for one in found:
        names = ", ".join(dict.fromkeys(name.rsplit("/", 1)[-1] for name in one.names))
        where = shown(one.names[0], home)
        if one.facts is None:
            rows.append(("broken", names, where, one.trouble))
            continue
        notes = [f"{one.facts.word_size_bits} bit"]
        notes += ["a script" if one.script else "", "an environment's" if one.facts.environment_prefix else ""]
        kept = one.facts.externally_managed and not one.facts.environment_prefix
        notes += ["system-managed" if kept else ""]
        notes += [_lacks(one.facts)]
        version = one.facts.full_version
        rows.append((version, names, where, "; ".join(filter(None, [_reached(one), *notes]))))
    print_table(screen, ("version", "names", "where", "what"), rows, indent=2)


def print_other_interpreters(screen: Screen, found: Sequence[OtherInterpreter], home: str) -> None:
    """Write those of other languages, one row each."""
    rows = []
    for one in found:
        names = ", ".join(dict.fromkeys(name.rsplit("/", 1)[-1] for name in one.names))
        reached = "on PATH" if one.on_path else "not on PATH"
        size = f"{one.word_size_bits} bit" if one.word_size_bits else "a script"
        what = "; ".join(filter(None, (reached, size, one.trouble)))
        rows.append(
            (
                f"{one.title} {one.version}" if one.version else f"{one.title}, broken",
                names,
                shown(one.names[0], home),
                what,
            )
        )
    print_table(screen, ("language", "names", "where", "what"), rows, indent=2)


def _lacks(facts: InterpreterFacts) -> str:
    """Say which parts are not there, and what brings the first of them."""
    if not facts.lacking:
        return ""
    system = facts.externally_managed or facts.base_prefix == "/usr"
    remedy = remedy_for(facts.lacking[0], is_system=system, version=facts.short_version)
    return f"lacks {', '.join(facts.lacking)}" + (f" ({remedy})" if remedy else "")


def _reached(one: FoundInterpreter) -> str:
    return "on PATH" if one.on_path else "not on PATH"
