"""What a catalog lists, as a person reads it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.next_steps import ush

from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.catalogs.address_book import NamedAddress
    from unified_shell.core.catalogs.description import Description
    from unified_shell.core.catalogs.reading import CatalogRead
    from unified_shell.core.interpreters.getting.offered import Offer

    from .terminal.screen import Screen

__all__ = ["print_catalog", "print_offers"]


def print_offers(
    screen: Screen, catalogs: Sequence[NamedAddress], offers: Sequence[Offer], faults: Sequence[str]
) -> None:
    """Write the catalogs, then what they offer, a row each, and what is wrong."""
    print_table(screen, ("catalog", "address"), [(one.name, one.shown) for one in catalogs])
    rows = [
        (
            one.state.value if one.fits else f"{one.state.value}, not for this machine",
            one.description.name,
            one.description.version,
            ", ".join(filter(None, (one.description.language, *one.description.categories))),
            _forms(one.description),
            _rest(one.description),
            one.catalog,
        )
        for one in offers
    ]
    screen.result("")
    if rows:
        titles = ("state", "name", "version", "language, categories", "comes as", "summary", "catalog")
        print_table(screen, titles, rows)
        first = next((one.description for one in offers if one.fits and one.state.value != "here"), None)
        if first is not None and first.language:
            screen.next(ush("interpreter", "get", first.language.lower(), first.version))
    else:
        screen.result("They offer nothing that matches.")
    for fault in faults:
        screen.result(f"FAULT  {fault}")


def print_catalog(screen: Screen, name: str, read: CatalogRead) -> None:
    """Write the descriptions, one row each, and then what is wrong."""
    heading(screen, f"catalog {name}: {len(read.listed)} description{'' if len(read.listed) == 1 else 's'}")
    rows = [
        (
            one.description.subject.value,
            one.description.name,
            one.description.version,
            _forms(one.description),
            _rest(one.description),
        )
        for one in read.listed
    ]
    if rows:
        print_table(screen, ("kind", "name", "version", "comes as", "summary"), rows, indent=2)
    for fault in read.faults:
        screen.result(f"FAULT  {fault}")


def _forms(one: Description) -> str:
    sizes = {True: "by hand", False: ""}
    told = []
    for form in one.forms:
        size = shown_size(form.archive.size_bytes) if form.archive.size_bytes else ""
        words = (form.kind.value, form.platform, size, sizes[bool(form.archive.by_hand)])
        told.append(" ".join(filter(None, words)))
    return "; ".join(told)


def _rest(one: Description) -> str:
    licence = f"{one.licence}{', asks for acceptance' if one.asks_acceptance else ''}"
    return f"{one.summary} ({licence})"
