"""The catalogs that a person named, in their order, and the one that is part of ush."""

from pathlib import Path

from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.addresses import address_of_folder

from .address_book import AddressBook, NamedAddress

__all__ = ["CATALOGS", "STARTER"]

# So that an empty account can get something real. Its descriptions name upstream's own archives by hash.
STARTER = NamedAddress(name="starter", address=address_of_folder(str(Path(__file__).with_name("starter"))))

CATALOGS = AddressBook(
    kind="catalog",
    brings="descriptions",
    example="https://catalog.apiary.example/",
    next_step=ush("catalog", "show", "NAME"),
    shipped=(STARTER,),
)
