"""The suites that are here, and those that catalogs offer."""

from msgspec import Struct
from packaging.version import InvalidVersion, Version

from unified_shell.core.catalogs.description import Subject
from unified_shell.core.catalogs.reading import Listed, read_catalog
from unified_shell.core.catalogs.registered import CATALOGS
from unified_shell.core.errors import UshError
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.transfers.fetching import Fetcher

from .managed_suites import all_suites

__all__ = ["SuiteRow", "list_all_suites"]


class SuiteRow(Struct, frozen=True, kw_only=True):
    """A suite: `state` is `here`, `newer offered` (another version of it is here) or `offered`."""

    name: str
    version: str
    state: str
    summary: str
    licence: str
    categories: tuple[str, ...]
    size_bytes: int
    forms: tuple[str, ...]
    catalog: str = ""
    needs: tuple[str, ...] = ()


def list_all_suites(
    host: Host, locations: Locations, fetcher: Fetcher, *, word: str = "", category: str = ""
) -> tuple[tuple[SuiteRow, ...], tuple[str, ...]]:
    """Return what is here and what is offered for this machine, by name, the newest version first; and what is wrong with
    catalogs.
    """
    here = {(one.description.name, one.version): one for one in all_suites(host, locations)}
    listed, faults = _listed(host, locations, fetcher)
    rows = [
        SuiteRow(
            name=name,
            version=version,
            state="here",
            summary=one.description.summary,
            licence=one.description.licence,
            categories=one.description.categories,
            size_bytes=0,
            forms=(one.form,),
        )
        for (name, version), one in here.items()
    ]
    names = {name: max(_version(v) for n, v in here if n == name) for name, _ in here}
    for one in listed:
        described = one.description
        fitting = described.forms_for(host.platform)
        if described.subject is not Subject.SUITE or (described.name, described.version) in here or not fitting:
            continue
        newer = described.name in names and _version(described.version) > names[described.name]
        rows.append(
            SuiteRow(
                name=described.name,
                version=described.version,
                state="newer offered" if newer else "offered",
                summary=described.summary,
                licence=described.licence,
                categories=described.categories,
                size_bytes=fitting[0].archive.size_bytes,
                forms=tuple(sorted({form.kind.value for form in fitting})),
                catalog=one.catalog,
                needs=described.needs.suites,
            )
        )
    wanted = [
        one
        for one in rows
        if any(word.lower() in text.lower() for text in (one.name, one.summary, *one.categories))
        and (not category or category.lower() in [each.lower() for each in one.categories])
    ]
    wanted.sort(key=lambda one: _version(one.version), reverse=True)
    wanted.sort(key=lambda one: one.name)
    return tuple(wanted), faults


def _listed(host: Host, locations: Locations, fetcher: Fetcher) -> tuple[list[Listed], tuple[str, ...]]:
    listed: list[Listed] = []
    faults: list[str] = []
    for one in CATALOGS.read_all(host, locations):
        try:
            read = read_catalog(one, fetcher)
        except UshError as error:
            faults.append(f"{one.name}: {error}")
            continue
        listed += read.listed
        faults += [f"{one.name}: {fault}" for fault in read.faults]
    return listed, tuple(faults)


def _version(text: str) -> Version:
    try:
        return Version(text)
    except InvalidVersion:
        return Version("0")
