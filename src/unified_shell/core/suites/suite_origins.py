"""Which description a suite is got by, and in which of its forms."""

import contextlib
import os
import re
import urllib.parse
from collections.abc import Callable

from msgspec import Struct
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.version import Version

from unified_shell.core.archives.packing import pack_tree
from unified_shell.core.catalogs.description import Description, Form, Subject
from unified_shell.core.catalogs.reading import Listed, read_description
from unified_shell.core.errors import CouldNot, HashDiffers, Refused, UsageError
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.addresses import check_no_password, is_web_address
from unified_shell.core.transfers.fetching import Fetcher

from .archive_survey import is_archive_name, survey_archive
from .managed_suites import ManagedSuite, all_suites

__all__ = ["SuiteOrigin", "SuiteRequest", "offered_newer", "settle_suite", "with_needed"]

BOUND = re.compile(r"^([\w.+-]+?)\s*((?:[<>=!~]=|[<>]).*)?$")
SHA256 = re.compile(r"[0-9a-f]{64}")
FindDescribed = Callable[[Callable[[Description], bool]], Listed | None]


class SuiteOrigin(Struct, frozen=True, kw_only=True):
    """What a suite is made from; `file` is its archive where it is on this machine already. `described_as` is the description
    that was made from the archive, where nobody had written one.
    """

    description: Description
    form: Form
    file: str = ""
    described_as: str = ""

    @property
    def name(self) -> str:
        """The name of its folder."""
        return f"{self.description.name}-{self.description.version}"


class SuiteRequest(Struct, frozen=True, kw_only=True):
    """What a person asks for: `what` is a name in a catalog, with a version bound or not, a description's file, or an archive,
    a folder or an address that nothing describes. `archive` is its archive where that is here, `form` binary or source,
    `named` is NAME-VERSION where a file does not say it, `root` the folder in an archive that holds several, `sha256` what
    an address must give.
    """

    what: str
    archive: str = ""
    form: str = ""
    named: str = ""
    root: str = ""
    sha256: str = ""


def settle_suite(
    asked: SuiteRequest, find: FindDescribed, fetcher: Fetcher, host: Host, locations: Locations
) -> SuiteOrigin:
    """Return what a suite is made from. Raises CouldNot where nothing describes it, Refused where its archive has to be
    fetched by hand, UsageError for an address without a hash.
    """
    what = asked.what
    if is_web_address(what):
        return _from_address(asked, fetcher, host, locations)
    place = join(host.working_directory, os.path.expanduser(what))
    if os.path.isdir(place) and "/" in what:
        return _from_folder(asked, place, host, locations)
    if is_archive_name(what):
        return _surveyed(place, asked, host)
    if what.endswith(".toml") or "/" in what:
        described = read_description(place, fetcher)
        if described.subject is not Subject.SUITE:
            raise UsageError(f"{what} describes an interpreter", next_step=ush("interpreter", "get", described.name))
    else:
        described = _in_catalogs(what, find, host)
    fitting = described.forms_for(host.platform, asked.form)
    if not fitting:
        offered = ", ".join(
            sorted({f"{one.kind.value} for {one.platform or 'any machine'}" for one in described.forms})
        )
        raise CouldNot(
            f"{described.name} {described.version} has no {asked.form or 'form'} for {host.platform}; there is: {offered}",
            next_step=ush("suite", "list"),
        )
    chosen = fitting[0]
    if chosen.archive.by_hand and not asked.archive:
        name = chosen.archive.file_name
        raise Refused(
            f"{described.name} {described.version} must be fetched by hand: {chosen.archive.by_hand}",
            next_step=ush("suite", "get", what, "--archive", name, why=f"when {name} is here"),
        )
    file = _checked(asked.archive, chosen, host) if asked.archive else ""
    return SuiteOrigin(description=described, form=chosen, file=file)


def _from_address(asked: SuiteRequest, fetcher: Fetcher, host: Host, locations: Locations) -> SuiteOrigin:
    """Fetch an archive that has the hash which was given, to look into it."""
    name = os.path.basename(urllib.parse.unquote(urllib.parse.urlsplit(asked.what).path))
    check_no_password(asked.what)
    if not is_archive_name(name):
        raise UsageError(f"{name or asked.what} is not an archive's name", next_step=ush("suite", "list"))
    if not SHA256.fullmatch(asked.sha256):
        raise UsageError(
            "an address that no catalog describes needs the SHA-256 of its archive",
            next_step=ush("suite", "get", asked.what, "--sha256", "HASH", why="as its author gives it"),
        )
    path = join(locations.cache, "archives", asked.sha256[:16], name)
    if not (os.path.isfile(path) and digest_of_file(path) == asked.sha256):
        fetcher.download(asked.what, path, sha256=asked.sha256)
    return _surveyed(path, asked, host, url=asked.what)


def _from_folder(asked: SuiteRequest, place: str, host: Host, locations: Locations) -> SuiteOrigin:
    """Pack a folder, so that it has a hash and can be built again, and look into that."""
    name = asked.named or os.path.basename(os.path.normpath(place)).lower()
    packed = join(locations.cache, "archives", "folders", f"{name}.tar")
    os.makedirs(os.path.dirname(packed), exist_ok=True)
    pack_tree(place, os.path.basename(os.path.normpath(place)), packed, {})
    return _surveyed(packed, asked, host)


def _surveyed(path: str, asked: SuiteRequest, host: Host, *, url: str = "") -> SuiteOrigin:
    if not os.path.isfile(path):
        raise UsageError(f"there is no file {asked.what!r}", next_step=ush("suite", "list"))
    surveyed = survey_archive(path, host, named=asked.named, root=asked.root, url=url)
    (form,) = surveyed.description.forms
    return SuiteOrigin(description=surveyed.description, form=form, file=path, described_as=surveyed.text)


def _in_catalogs(what: str, find: FindDescribed, host: Host) -> Description:
    match = BOUND.match(what)
    if match is None:
        raise UsageError(f"{what!r} is not a suite's name", next_step=ush("suite", "list"))
    name, bound = match[1], match[2] or ""
    try:
        versions = SpecifierSet(bound)
    except InvalidSpecifier as error:
        raise UsageError(
            f"{bound!r} is not a valid version bound", next_step=ush("suite", "get", f"{name}>=1.2")
        ) from error
    listed = find(
        lambda one: (
            one.subject is Subject.SUITE
            and one.name == name
            and versions.contains(one.version, prereleases=True)
            and bool(one.forms_for(host.platform))
        )
    )
    if listed is None:
        raise CouldNot(
            f"no catalog describes {what} for {host.platform}",
            next_step=(ush("suite", "list"), "or", ush("catalog", "add", "NAME", "ADDRESS")),
        )
    return listed.description


def with_needed(
    asked: SuiteOrigin, find: FindDescribed, host: Host, locations: Locations, fetcher: Fetcher
) -> tuple[SuiteOrigin, ...]:
    """Return a suite after those that it needs, that are not here and that a catalog describes; each comes once."""
    here = {one.description.name for one in all_suites(host, locations)}
    found: dict[str, SuiteOrigin] = {}

    def add(origin: SuiteOrigin, above: tuple[str, ...]) -> None:
        for name in origin.description.needs.suites:
            if name in here or name in found or name in above:
                continue
            with contextlib.suppress(CouldNot):
                needed = settle_suite(SuiteRequest(what=name), find, fetcher, host, locations)
                add(needed, (*above, origin.description.name))
        found[origin.description.name] = origin

    add(asked, ())
    return tuple(found.values())


def offered_newer(what: str, here: ManagedSuite, find: FindDescribed, host: Host) -> str:
    """Return the newest version within a bound that is offered and newer than the one here; empty where there is none."""
    match = BOUND.match(what)
    bound = match[2] or "" if match is not None and match[1] == here.description.name else ""
    try:
        versions = SpecifierSet(bound)
    except InvalidSpecifier as error:
        raise UsageError(f"{bound!r} is not a valid version bound", next_step=ush("suite", "list")) from error
    listed = find(
        lambda one: (
            one.subject is Subject.SUITE
            and one.name == here.description.name
            and versions.contains(one.version, prereleases=True)
            and Version(one.version) > Version(here.version)
            and bool(one.forms_for(host.platform))
        )
    )
    return listed.description.version if listed is not None else ""


def _checked(archive: str, form: Form, host: Host) -> str:
    path = join(host.working_directory, archive)
    if not os.path.isfile(path):
        raise UsageError(f"there is no file {archive!r}", next_step=f"--archive {form.archive.file_name}")
    if (found := digest_of_file(path)) != form.archive.sha256:
        raise HashDiffers(
            f"{archive} is not the file that is described: its SHA-256 is {found[:16]}…, described is"
            f" {form.archive.sha256[:16]}…",
            next_step="fetch it again",
        )
    return path
