"""The catalogs that a person named, in their order."""

from unified_shell.core.next_steps import ush

from .address_book import AddressBook

__all__ = ["CATALOGS"]

CATALOGS = AddressBook(
    kind="catalog",
    brings="descriptions",
    example="https://catalog.apiary.example/",
    next_step=ush("catalog", "show", "NAME"),
)
