"""How options are grouped in help: what is done, where, and how it is agreed to and told."""

from collections.abc import Sequence

import click

__all__ = ["grouped"]

WHERE = frozenset(
    {
        "--environment",
        "--for",
        "--into",
        "--output",
        "--front",
        "--back",
        "--before",
        "--at-end",
        "--place",
        "--below",
    }
)
HOW = frozenset(
    {
        "--yes",
        "--plan",
        "--json",
        "--strict",
        "--quiet",
        "--accept",
        "--offline",
        "--plain",
        "--html",
        "--junit",
        "--help",
    }
)


def grouped(options: Sequence[click.Parameter]) -> tuple[tuple[str, tuple[click.Parameter, ...]], ...]:
    """Return options by the titles of their groups, in the order in which a person decides on them; no empty group."""
    groups: dict[str, list[click.Parameter]] = {"Options": [], "Where": [], "Agreeing and output": []}
    for one in options:
        names = {*one.opts, *one.secondary_opts}
        title = "Where" if names & WHERE else "Agreeing and output" if names & HOW else "Options"
        groups[title].append(one)
    return tuple((title, tuple(held)) for title, held in groups.items() if held)
