"""Which description a suite is got by, and in which of its forms."""

import os
import re
from collections.abc import Callable

from msgspec import Struct
from packaging.specifiers import InvalidSpecifier, SpecifierSet

from unified_shell.core.catalogs.description import Description, Form, Subject
from unified_shell.core.catalogs.reading import Listed, read_description
from unified_shell.core.errors import CouldNot, HashDiffers, Refused, UsageError
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.fetching import Fetcher

from .archive_survey import is_archive_name, survey_archive

__all__ = ["SuiteOrigin", "settle_suite"]

BOUND = re.compile(r"^([\w.+-]+?)\s*((?:[<>=!~]=|[<>]).*)?$")
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


def settle_suite(
    what: str,
    find: FindDescribed,
    fetcher: Fetcher,
    host: Host,
    *,
    archive: str = "",
    form: str = "",
    named: str = "",
) -> SuiteOrigin:
    """Return what a suite is made from: `what` is its name in a catalog, with a version bound or not, or a description's
    file, or an archive that nothing describes. Raises CouldNot where nothing describes it, Refused where its archive has to
    be fetched by hand.
    """
    if is_archive_name(what):
        return _surveyed(what, host, named)
    if what.endswith(".toml") or "/" in what:
        place = join(host.working_directory, os.path.expanduser(what))
        described = read_description(place, fetcher)
        if described.subject is not Subject.SUITE:
            raise UsageError(f"{what} describes an interpreter", next_step=ush("interpreter", "get", described.name))
    else:
        described = _in_catalogs(what, find, host)
    fitting = described.forms_for(host.platform, form)
    if not fitting:
        offered = ", ".join(
            sorted({f"{one.kind.value} for {one.platform or 'any machine'}" for one in described.forms})
        )
        raise CouldNot(
            f"{described.name} {described.version} has no {form or 'form'} for {host.platform}; there is: {offered}",
            next_step=ush("suite", "list"),
        )
    chosen = fitting[0]
    if chosen.archive.by_hand and not archive:
        name = chosen.archive.file_name
        raise Refused(
            f"{described.name} {described.version} must be fetched by hand: {chosen.archive.by_hand}",
            next_step=ush("suite", "get", what, "--archive", name, why=f"when {name} is here"),
        )
    return SuiteOrigin(description=described, form=chosen, file=_checked(archive, chosen, host) if archive else "")


def _surveyed(what: str, host: Host, named: str) -> SuiteOrigin:
    path = join(host.working_directory, os.path.expanduser(what))
    if not os.path.isfile(path):
        raise UsageError(f"there is no file {what!r}", next_step=ush("suite", "list"))
    surveyed = survey_archive(path, host, named=named)
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
