"""The indexes that a person named, in their order."""

from unified_shell.core.catalogs.address_book import AddressBook, NamedAddress
from unified_shell.core.next_steps import ush

__all__ = ["INDEXES", "Index"]

# A Simple Repository API, or a folder of wheels.
Index = NamedAddress
INDEXES = AddressBook(
    kind="index",
    brings="packages",
    example="https://index.apiary.example/simple/",
    next_step=ush("package", "get", "NAME", "-e", "ENVIRONMENT"),
)
