"""The catalogs that a person named, in their order."""

from unified_shell.core.changes.named_addresses import AddressBook

__all__ = ["CATALOGS"]

CATALOGS = AddressBook(
    kind="catalog",
    brings="descriptions",
    example="https://catalog.apiary.example/",
    next_step="ush catalog show NAME",
)
