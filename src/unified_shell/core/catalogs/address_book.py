"""Addresses that a person named, in their order, in the configuration file: of indexes, and of catalogs."""

from collections.abc import Mapping

from msgspec import Struct

from unified_shell.core.changes.records import read_records
from unified_shell.core.errors import UsageError
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope, everyone_locations
from unified_shell.core.next_steps import NextStep

__all__ = ["AddressBook", "NamedAddress"]


class NamedAddress(Struct, frozen=True, kw_only=True):
    """A name and an address: a URL, or a folder as a `file:` URL."""

    name: str
    address: str
    scope: Scope = Scope.ME

    @property
    def shown(self) -> str:
        """The address without what is secret in it."""
        from unified_shell.core.transfers.addresses import shown_address

        return shown_address(self.address)


class AddressBook(Struct, frozen=True, kw_only=True):
    """The named addresses of one kind, `index` or `catalog`, in the table of that name.

    `brings` says what comes from them, `next_step` what is typed after naming one; `shipped` are part of ush itself, and
    asked last.
    """

    kind: str
    brings: str
    example: str
    next_step: NextStep
    shipped: tuple[NamedAddress, ...] = ()

    def read_all(self, host: Host, locations: Locations) -> tuple[NamedAddress, ...]:
        """Return everyone's, then a scope's own, in the order in which they are asked.

        Everyone's come first: a person's public index cannot displace what the machine's own one has. An own one
        of the same name stands in its place.
        """
        own = {one.name: one for one in self.read(locations)}
        named = tuple(own.values())
        if locations.scope is not Scope.EVERYONE:
            shared = {one.name: own.pop(one.name, one) for one in self.read(everyone_locations(host))}
            named = (*shared.values(), *own.values())
        taken = {one.name for one in named}
        return (*named, *(one for one in self.shipped if one.name not in taken))

    def read(self, locations: Locations) -> tuple[NamedAddress, ...]:
        """Return a scope's own, in the order in which they are asked."""
        table = read_records(locations.config_file).get(self.kind, {})
        rows = table.items() if isinstance(table, Mapping) else ()
        wrong = next((name for name, value in rows if not isinstance(value, Mapping) or "url" not in value), None)
        if wrong is not None:
            raise UsageError(
                f"{self.kind}.{wrong} is not a table with a url",
                where=locations.config_file,
                next_step=f'write it as [{self.kind}.{wrong}] and below it url = "{self.example}"',
            )
        found = [NamedAddress(name=name, address=str(value["url"]), scope=locations.scope) for name, value in rows]
        order = self.order(locations)
        return tuple(sorted(found, key=lambda one: order.index(one.name) if one.name in order else len(order)))

    def order(self, locations: Locations) -> list[str]:
        """Return the names of which it was said in which order they are asked; others come after, as they were added."""
        table = read_records(locations.config_file).get("order", {})
        names = table.get(self.kind) if isinstance(table, Mapping) else None
        return [str(name) for name in names] if isinstance(names, list) else []
