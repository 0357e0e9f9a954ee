"""Addresses that a person named, in their order, in the configuration file: of indexes, and of catalogs."""

import os
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.records import key_behind, read_records
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.errors import Refused, UnknownName, UsageError
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope, everyone_locations
from unified_shell.core.machine.places import join, to_json_text
from unified_shell.core.next_steps import Labelled, NextStep, ush
from unified_shell.core.transfers.addresses import (
    address_of_folder,
    check_no_password,
    is_web_address,
    place_of_address,
    shown_address,
)

__all__ = ["AddressBook", "NamedAddress"]


class NamedAddress(Struct, frozen=True, kw_only=True):
    """A name and an address: a URL, or a folder as a `file:` URL."""

    name: str
    address: str
    scope: Scope = Scope.ME

    @property
    def shown(self) -> str:
        """The address without what is secret in it."""
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
        order = self._order(locations)
        return tuple(sorted(found, key=lambda one: order.index(one.name) if one.name in order else len(order)))

    def _order(self, locations: Locations) -> list[str]:
        """Return the names of which it was said in which order they are asked; others come after, as they were added."""
        table = read_records(locations.config_file).get("order", {})
        names = table.get(self.kind) if isinstance(table, Mapping) else None
        return [str(name) for name in names] if isinstance(names, list) else []

    def _order_step(self, names: Sequence[str], locations: Locations) -> PutRecord:
        before = self._order(locations)
        return PutRecord(
            path=locations.config_file,
            keys=("order", self.kind),
            before=to_json_text(before) if before else "",
            after=to_json_text(list(names)),
        )

    def _reordered(self, name: str, before: str, locations: Locations) -> list[str]:
        """Return all names with one before another, or with none named before all; raises UnknownName."""
        others = [one.name for one in self.read(locations) if one.name != name]
        if before and before not in others:
            raise UnknownName(self.kind, before, others, next_step=ush(self.kind, "list"))
        at = others.index(before) if before else 0
        return [*others[:at], name, *others[at:]]

    def plan_add(
        self,
        name: str,
        address: str,
        host: Host,
        locations: Locations,
        *,
        ask: Callable[[str], str],
        first: bool = False,
        before: str = "",
    ) -> Change:
        """Plan to name an address; `ask` says why it does not answer, or nothing.

        It is asked after the others, or with `first` before all, or `before` another one; one that is there is moved
        so, and its address need not be given.
        """
        _check_name(self, name)
        known = {one.name: one for one in self.read(locations)}
        if not address and name in known:
            address = known[name].address
        full = _full_address(self, address, host)
        order = self._reordered(name, before, locations) if first or before else []
        if name in known:
            if known[name].address == full and order and order != list(known):
                return self._moved(name, order, locations)
            if known[name].address == full:
                said = f"the {self.kind} {name} is there already: {known[name].shown}"
                return change_of(Plan(aim=said, nothing_to_do=said))
            raise Refused(
                f"the {self.kind} {name!r} is there with another address: {known[name].shown}",
                next_step=ush(self.kind, "drop", name, *locations.scope_words, why="then add it again"),
            )
        step = PutRecord(
            path=locations.config_file, keys=(self.kind, name), before="", after=to_json_text({"url": full})
        )
        steps = (step, self._order_step(order, locations)) if order else (step,)
        earlier = order[: order.index(name)] if order else list(known)
        plan = Plan(
            aim=f"Take {self.brings} from the {self.kind} {name}",
            lines=(
                plan_line(
                    LineKind.ADD,
                    About.ADDRESS,
                    of=self.kind,
                    name=name,
                    address=shown_address(full),
                    after=tuple(earlier),
                    first=not earlier,
                ),
            ),
            afterwards=(Labelled(label="Next", step=self.next_step),),
        )

        def verify() -> tuple[Finding, ...]:
            why = ask(full)
            return (
                Finding(
                    subject=f"{self.kind} {name}",
                    question="answers",
                    verdict=verdict_of(passed=not why),
                    answer=why or "yes",
                    remedy=ush(self.kind, "drop", name, *locations.scope_words, why="if the address is wrong")
                    if why
                    else "",
                ),
            )

        return change_of(plan, prepare=lambda _staging: steps, verify=verify)

    def _moved(self, name: str, order: Sequence[str], locations: Locations) -> Change:
        step = self._order_step(order, locations)
        plan = Plan(
            aim=f"Ask the {self.kind} {name} at another place",
            lines=(plan_line(LineKind.CHANGE, About.ADDRESS_ORDER, names=tuple(order)),),
        )
        return change_of(plan, prepare=lambda _staging: (step,))

    def plan_drop(self, name: str, host: Host, locations: Locations) -> Change:
        """Plan to forget one; what came from it stays."""
        known = {one.name: one for one in self.read(locations)}
        if name not in known:
            if any(one.name == name for one in self.shipped):
                raise Refused(
                    f"the {self.kind} {name} is part of ush; it is asked last",
                    next_step=ush(self.kind, "list"),
                )
            if any(one.name == name for one in self.read_all(host, locations)):
                raise Refused(
                    f"the {self.kind} {name} is everyone's on this machine", again_with=("--for", "everyone")
                )
            raise UnknownName(self.kind, name, known, next_step=ush(self.kind, "list"))
        before = to_json_text({"url": known[name].address})
        records, keys = read_records(locations.config_file), (self.kind, name)
        table = records[self.kind]
        if isinstance(table, Mapping):
            before = to_json_text(table[name])
        # They are asked in their order, which says from whom a name is had: undo puts it back where it was.
        behind = key_behind(records, keys)
        step = DropRecord(path=locations.config_file, keys=keys, before=before, behind=behind)
        plan = Plan(
            aim=f"Forget the {self.kind} {name}; what came from it stays",
            lines=(plan_line(LineKind.REMOVE, About.ADDRESS, of=self.kind, name=name, address=known[name].shown),),
        )
        return change_of(plan, prepare=lambda _staging: (step,))


def _check_name(book: AddressBook, name: str) -> None:
    if not name or not all(c.isalnum() or c in "-_." for c in name) or not name.isascii():
        raise UsageError(
            f"{name!r} cannot be {'an' if book.kind == 'index' else 'a'} {book.kind}'s name: letters, digits, '-', '_' and '.' can",
            next_step=ush(book.kind, "add", "apiary", book.example),
        )


def _full_address(book: AddressBook, address: str, host: Host) -> str:
    if not address:
        raise UsageError("the address is empty", next_step=ush(book.kind, "add", "NAME", book.example))
    if is_web_address(address):
        check_no_password(address)
        return address if address.endswith("/") else address + "/"
    text = place_of_address(address) or join(host.working_directory, address)
    if not os.path.isdir(text):
        raise UsageError(
            f"{address!r} is neither an HTTP address nor a folder",
            next_step=(ush(book.kind, "add", "NAME", "FOLDER"), "or", ush(book.kind, "add", "NAME", book.example)),
        )
    return address_of_folder(os.path.normpath(text))
