"""Interpreters, as a person reads them."""

from collections.abc import Sequence

from unified_shell.core.interpreters.discovery import FoundInterpreter
from unified_shell.core.interpreters.other_languages import OtherInterpreter
from unified_shell.core.machine.places import shown

from .screen import Screen
from .tables import print_table

__all__ = ["print_interpreters", "print_other_interpreters"]


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
        notes += ["kept by the system" if kept else ""]
        notes += [f"lacks {', '.join(one.facts.lacking)}" if one.facts.lacking else ""]
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


def _reached(one: FoundInterpreter) -> str:
    return "on PATH" if one.on_path else "not on PATH"
