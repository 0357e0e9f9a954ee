"""Naming an address, moving it among the others, and forgetting it."""

import os
from collections.abc import Callable, Mapping, Sequence

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.records import key_behind, read_records
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.errors import Refused, UnknownName, UsageError
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join, to_json_text
from unified_shell.core.next_steps import Labelled, ush
from unified_shell.core.transfers.addresses import (
    address_of_folder,
    check_no_password,
    is_web_address,
    place_of_address,
    shown_address,
)

from .address_book import AddressBook

__all__ = ["plan_address_add", "plan_address_drop"]


def plan_address_add(
    book: AddressBook,
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
    _check_name(book, name)
    known = {one.name: one for one in book.read(locations)}
    if not address and name in known:
        address = known[name].address
    full = _full_address(book, address, host)
    order = _reordered(book, name, before, locations) if first or before else []
    if name in known:
        if known[name].address == full and order and order != list(known):
            return _moved(book, name, order, locations)
        if known[name].address == full:
            said = f"the {book.kind} {name} is there already: {known[name].shown}"
            return change_of(Plan(aim=said, nothing_to_do=said))
        raise Refused(
            f"the {book.kind} {name!r} is there with another address: {known[name].shown}",
            next_step=ush(book.kind, "drop", name, *locations.scope_words, why="then add it again"),
        )
    step = PutRecord(path=locations.config_file, keys=(book.kind, name), before="", after=to_json_text({"url": full}))
    steps = (step, _order_step(book, order, locations)) if order else (step,)
    earlier = order[: order.index(name)] if order else list(known)
    plan = Plan(
        aim=f"Take {book.brings} from the {book.kind} {name}",
        lines=(
            plan_line(
                LineKind.ADD,
                About.ADDRESS,
                of=book.kind,
                name=name,
                address=shown_address(full),
                after=tuple(earlier),
                first=not earlier,
            ),
        ),
        afterwards=(Labelled(label="Next", step=book.next_step),),
    )

    def verify() -> tuple[Finding, ...]:
        why = ask(full)
        return (
            Finding(
                subject=f"{book.kind} {name}",
                question="answers",
                verdict=verdict_of(passed=not why),
                answer=why or "yes",
                remedy=ush(book.kind, "drop", name, *locations.scope_words, why="if the address is wrong")
                if why
                else "",
            ),
        )

    return change_of(plan, prepare=lambda _staging: steps, verify=verify)


def plan_address_drop(book: AddressBook, name: str, host: Host, locations: Locations) -> Change:
    """Plan to forget one; what came from it stays."""
    known = {one.name: one for one in book.read(locations)}
    if name not in known:
        if any(one.name == name for one in book.shipped):
            raise Refused(
                f"the {book.kind} {name} is part of ush; it is asked last",
                next_step=ush(book.kind, "list"),
            )
        if any(one.name == name for one in book.read_all(host, locations)):
            raise Refused(f"the {book.kind} {name} is everyone's on this machine", again_with=("--for", "everyone"))
        raise UnknownName(book.kind, name, known, next_step=ush(book.kind, "list"))
    before = to_json_text({"url": known[name].address})
    records, keys = read_records(locations.config_file), (book.kind, name)
    table = records[book.kind]
    if isinstance(table, Mapping):
        before = to_json_text(table[name])
    # They are asked in their order, which says from whom a name is had: undo puts it back where it was.
    behind = key_behind(records, keys)
    step = DropRecord(path=locations.config_file, keys=keys, before=before, behind=behind)
    plan = Plan(
        aim=f"Forget the {book.kind} {name}; what came from it stays",
        lines=(plan_line(LineKind.REMOVE, About.ADDRESS, of=book.kind, name=name, address=known[name].shown),),
    )
    return change_of(plan, prepare=lambda _staging: (step,))


def _moved(book: AddressBook, name: str, order: Sequence[str], locations: Locations) -> Change:
    step = _order_step(book, order, locations)
    plan = Plan(
        aim=f"Ask the {book.kind} {name} at another place",
        lines=(plan_line(LineKind.CHANGE, About.ADDRESS_ORDER, names=tuple(order)),),
    )
    return change_of(plan, prepare=lambda _staging: (step,))


def _order_step(book: AddressBook, names: Sequence[str], locations: Locations) -> PutRecord:
    before = book.order(locations)
    return PutRecord(
        path=locations.config_file,
        keys=("order", book.kind),
        before=to_json_text(before) if before else "",
        after=to_json_text(list(names)),
    )


def _reordered(book: AddressBook, name: str, before: str, locations: Locations) -> list[str]:
    """Return all names with one before another, or with none named before all; raises UnknownName."""
    others = [one.name for one in book.read(locations) if one.name != name]
    if before and before not in others:
        raise UnknownName(book.kind, before, others, next_step=ush(book.kind, "list"))
    at = others.index(before) if before else 0
    return [*others[:at], name, *others[at:]]


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
