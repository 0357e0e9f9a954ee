"""What a catalog lists, as a person reads it."""

from unified_shell.core.catalogs.description import Description
from unified_shell.core.catalogs.reading import CatalogRead
from unified_shell.core.machine.disks import shown_size

from .screen import Screen
from .tables import heading, print_table

__all__ = ["print_catalog"]


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
