"""The indexes that a person named, in their order, in the configuration file."""

import os
import urllib.parse
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from unified_shell.core.changes.plan import Change, LineKind, Plan, PlanLine
from unified_shell.core.changes.records import read_records
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.errors import Refused, UnknownName, WordsOff
from unified_shell.core.findings import Finding
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join, to_json_text
from unified_shell.core.transfers.addresses import address_of_folder, is_web_address, place_of_address, shown_address

__all__ = ["Index", "plan_add", "plan_drop", "read_indexes"]

TABLE = "index"


@dataclass(frozen=True, slots=True, kw_only=True)
class Index:
    """A name and an address: of a Simple Repository API, or of a folder of wheels."""

    name: str
    address: str

    @property
    def shown(self) -> str:
        """The address without what is secret in it."""
        return shown_address(self.address)


def read_indexes(locations: Locations) -> tuple[Index, ...]:
    """Return the indexes in the order in which they are asked."""
    table = read_records(locations.config_file).get(TABLE, {})
    rows = table.items() if isinstance(table, Mapping) else ()
    return tuple(Index(name=name, address=str(value.get("url", ""))) for name, value in rows)


def plan_add(name: str, address: str, host: Host, locations: Locations, *, ask: Callable[[str], str]) -> Change:
    """Plan to name an index; `ask` says why an address does not answer, or nothing."""
    _check_name(name)
    full = _full_address(address, host)
    known = {one.name: one for one in read_indexes(locations)}
    words = f"index add {name} {shown_address(full)}"
    if name in known:
        if known[name].address == full:
            said = f"the index {name} is there already: {known[name].shown}"
            return Change(plan=Plan(words=words, aim=said, nothing_to_do=said), prepare=lambda _staging: ())
        raise Refused(
            f"the index {name!r} is there with another address: {known[name].shown}",
            next_step=f"ush index drop {name}   (then add it again)",
        )
    step = PutRecord(path=locations.config_file, keys=(TABLE, name), before="", after=to_json_text({"url": full}))
    order = f"asked after {', '.join(known)}" if known else "the first that is asked"
    plan = Plan(
        words=words,
        aim=f"Take packages from the index {name}",
        lines=(PlanLine(kind=LineKind.ADD, subject=f"index {name}: {shown_address(full)}", detail=order),),
        afterwards=("Next: ush package get NAME -e ENVIRONMENT",),
    )

    def verify() -> tuple[Finding, ...]:
        why = ask(full)
        return (
            Finding(
                subject=f"index {name}",
                question="answers",
                holds=not why,
                answer=why or "yes",
                remedy=f"ush index drop {name}   (if the address is wrong)" if why else "",
            ),
        )

    return Change(plan=plan, prepare=lambda _staging: (step,), verify=verify)


def plan_drop(name: str, locations: Locations) -> Change:
    """Plan to forget an index; what came from it stays."""
    known = {one.name: one for one in read_indexes(locations)}
    if name not in known:
        raise UnknownName("index", name, known, next_step="ush index list")
    before = to_json_text({"url": known[name].address})
    table = read_records(locations.config_file)[TABLE]
    if isinstance(table, Mapping):
        before = to_json_text(table[name])
    step = DropRecord(path=locations.config_file, keys=(TABLE, name), before=before)
    plan = Plan(
        words=f"index drop {name}",
        aim=f"Forget the index {name}; what came from it stays",
        lines=(PlanLine(kind=LineKind.REMOVE, subject=f"index {name}: {known[name].shown}"),),
    )
    return Change(plan=plan, prepare=lambda _staging: (step,))


def _check_name(name: str) -> None:
    if not name or not all(c.isalnum() or c in "-_." for c in name) or not name.isascii():
        raise WordsOff(
            f"{name!r} cannot be an index's name: letters, digits, '-', '_' and '.' can",
            next_step="ush index add apiary https://index.apiary.example/simple/",
        )


def _full_address(address: str, host: Host) -> str:
    if is_web_address(address):
        if not urllib.parse.urlsplit(address).hostname:
            raise WordsOff(f"{address!r} names no host")
        return address if address.endswith("/") else address + "/"
    text = place_of_address(address) or join(host.working_directory, address)
    if not os.path.isdir(text):
        raise WordsOff(
            f"{address!r} is neither an HTTP address nor a folder",
            next_step="ush index add NAME FOLDER   or   ush index add NAME https://HOST/simple/",
        )
    return address_of_folder(os.path.normpath(text))
