"""Where an interpreter comes from: settled before anything is planned, from the words and the catalogs."""

import os
import re
from collections.abc import Callable

from msgspec import Struct

from unified_shell.core.archives.unpacking import expected_bytes, names_in_archive
from unified_shell.core.catalogs.description import Description, Form, FormKind, Subject
from unified_shell.core.catalogs.reading import Listed
from unified_shell.core.changes.records import read_records
from unified_shell.core.errors import CouldNot, Refused, UsageError
from unified_shell.core.interpreters.requesting import Asked, version_fits
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.sessions.path_faults import commands_in
from unified_shell.core.transfers.addresses import shown_address

from .archive_detection import guess_from_names

__all__ = ["KNOWN_TABLE", "FindDescribed", "Origin", "known_archives_file", "settle_origin"]

KNOWN_TABLE = "archive"
COMMAND = re.compile(r"([^/]+/)?bin/[^/]+$")
FindDescribed = Callable[[Callable[[Description], bool]], Listed | None]


class Origin(Struct, frozen=True, kw_only=True):
    """One file or folder that an interpreter is made from.

    `source_language` is set where it is known to be a source; `sha256` is what it must have, empty where it is
    to be recorded; `size_bytes` is its own size, `tree_bytes` what it unpacks to, both 0 where unknown;
    `commands` are those that a ready-built one brings, as far as it is here to be looked at.
    """

    name: str
    address: str
    file: str = ""
    folder: str = ""
    sha256: str = ""
    size_bytes: int = 0
    tree_bytes: int = 0
    source_language: str = ""
    commands: tuple[str, ...] = ()
    description: Description | None = None
    form: Form | None = None

    @property
    def shown(self) -> str:
        """Where it is, without what is secret."""
        return self.file or self.folder or shown_address(self.address)


def known_archives_file(locations: Locations) -> Place:
    """Return where the hashes of archives are kept that nobody promised anything of."""
    return join(locations.data, "interpreters", "archives.toml")


def settle_origin(
    asked: Asked,
    find: FindDescribed,
    host: Host,
    locations: Locations,
    *,
    archive: str = "",
    sha256: str = "",
    form: str = "",
    platform: str = "",
) -> Origin:
    """Return what is to be fetched or used; `archive` is a file that a person fetched by hand.

    Raises CouldNot where no catalog describes it, Refused where it has to be fetched by hand first.
    """
    if asked.folder:
        name = _clean(os.path.basename(asked.folder))
        return Origin(name=name, address="", folder=asked.folder, commands=commands_in(join(asked.folder, "bin")))
    if asked.file:
        return _of_file(asked.file, sha256)
    if asked.address:
        name = asked.address.split("?")[0].rsplit("/", 1)[-1]
        promised = sha256 or _known_hash(asked.address, locations)
        language = "python" if re.match(r"Python-\d", name) else "lua" if re.match(r"lua-\d", name) else ""
        source = language if name.endswith((".tar.gz", ".tar.xz", ".tgz")) else ""
        return Origin(name=_stem(name), address=asked.address, sha256=promised, source_language=source)
    return _described(asked, find, host, archive=archive, form=form, platform=platform)


def _of_file(path: str, sha256: str) -> Origin:
    size = os.path.getsize(path)
    names = names_in_archive(path)
    language = guess_from_names(names)
    # A source's one folder is called by name and version; its file may be called anything.
    called = names[0].split("/")[0] if language else ""
    return Origin(
        name=_clean(called) if re.search(r"\d", called) else _stem(os.path.basename(path)),
        address="",
        file=path,
        sha256=sha256,
        size_bytes=size,
        tree_bytes=expected_bytes(path),
        source_language=language,
        commands=()
        if language
        else tuple(dict.fromkeys(re.sub(r".*/", "", one) for one in names if COMMAND.match(one))),
    )


def _described(asked: Asked, find: FindDescribed, host: Host, *, archive: str, form: str, platform: str) -> Origin:
    wanted = platform or host.platform
    if wanted.split("-")[0] != host.platform.split("-")[0]:
        raise UsageError(
            f"an interpreter for {wanted} cannot be used on {host.platform}",
            next_step=ush("interpreter", "get", asked.language),
        )
    other_forms: list[str] = []

    def fits(one: Description) -> bool:
        same = one.subject is Subject.INTERPRETER and one.language.lower() == asked.language
        meant = same and version_fits(one.version, asked.specifier)
        if meant and form and not one.forms_for(wanted, form) and (others := one.forms_for(wanted)):
            other_forms.append(f"{one.name} {one.version} is offered only as {others[0].kind.value}")
        return meant and bool(one.forms_for(wanted, form))

    listed = find(fits)
    if listed is None:
        what = f"{asked.language} {asked.specifier}".strip()
        if other_forms:
            raise CouldNot(f"{other_forms[0]} for {wanted}", again_without=("--form", form, f"--form={form}"))
        raise CouldNot(
            f"no catalog describes {what} for {wanted}",
            next_step=(ush("catalog", "add", "NAME", "ADDRESS"), "or", ush("interpreter", "get", "FILE-OR-URL")),
        )
    described = listed.description
    chosen = described.forms_for(wanted, form)[0]
    if chosen.archive.by_hand and not archive:
        raise Refused(
            f"{described.name} {described.version} must be fetched by hand: {chosen.archive.by_hand}",
            next_step=ush(
                "interpreter", "get", asked.language, described.version, "--archive", chosen.archive.file_name
            ),
        )
    return Origin(
        name=_clean(f"{described.name}-{described.version}"),
        address=chosen.archive.url,
        file=_checked_file(archive, chosen) if archive else "",
        sha256=chosen.archive.sha256,
        size_bytes=chosen.archive.size_bytes,
        source_language=asked.language if chosen.kind is FormKind.SOURCE else "",
        description=described,
        form=chosen,
    )


def _checked_file(path: str, form: Form) -> str:
    if not os.path.isfile(path):
        raise UsageError(f"there is no {path!r}", next_step=f"--archive {form.archive.file_name}")
    found = digest_of_file(path)
    if found != form.archive.sha256:
        raise Refused(
            f"{path} is not the file that is described: its SHA-256 is {found[:16]}…, described is"
            f" {form.archive.sha256[:16]}…",
            next_step="fetch it again",
        )
    return path


def _known_hash(address: str, locations: Locations) -> str:
    table = read_records(known_archives_file(locations)).get(KNOWN_TABLE, {})
    row = table.get(address) if isinstance(table, dict) else None
    return str(row.get("sha256", "")) if isinstance(row, dict) else ""


def _stem(file_name: str) -> str:
    return _clean(re.sub(r"\.(tar(\.\w+)?|tgz|txz|tbz2?|zip)$", "", re.sub(r"\.orig(?=\.)", "", file_name)))


def _clean(name: str) -> str:
    cleaned = re.sub(r"[^a-z0-9._+-]+", "-", name.lower()).strip("-._")
    return cleaned or "interpreter"
