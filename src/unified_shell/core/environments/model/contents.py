"""What is in an environment: a set of distributions with content hash and how each was asked for.

It is written in the environment itself, as `environment.json`; the file is the truth.
"""

import os
from collections.abc import Mapping

from msgspec import Struct, field

from unified_shell.core.distributions.file_names import FileName, parse_file_name
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.files.digests import NO_SHA256, Sha256, parse_sha256
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import (
    Place,
    from_json_text,
    from_record_text,
    join,
    to_json_text,
    to_record_text,
)
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.wiring.wiring import Wiring, wiring_from_rows, wiring_rows

__all__ = ["FILE_NAME", "Contents", "Distribution", "contents_text", "read_contents"]

FILE_NAME = "environment.json"
FORMAT = 1
NOWHERE = Place("")


class Distribution(Struct, frozen=True, kw_only=True):
    """One distribution. `requested` are the requirements of its project as the person wrote them, none for a dependency.

    `address` is where it came from, for one that was asked for from an address and not from an index; `source` and
    `source_sha256` the file name and hash of the source distribution that its wheel was built from here. Until it is
    built, its `wheel` and `sha256` are the source's.
    """

    name: NormalizedName
    version: str
    sha256: Sha256
    wheel: FileName
    index: str
    requested: tuple[str, ...] = ()
    address: str = ""
    source: str = ""
    source_sha256: Sha256 = NO_SHA256


class Contents(Struct, frozen=True, kw_only=True):
    """An environment's content. `identity` is a UUID that stays through all editions; `wiring` is what holds
    while it is entered; `constraints` and `overrides` are requirements that its packages are solved with; with `own_files` it shares
    none with others by hard link; `overlap` are projects whose file counts where another brings a different one to the same place; `lock` is the lock file that it was made from, if any, with
    the `lock_extras` and `lock_groups` of it;
    `python` is the version of its interpreter, of whichever `language` it is; `installers` are commands of its base that put packages there, and must not be reached from it;
    `replaced` is the folder of the environment that it took the place of, which is a link to it now."""

    name: str
    identity: str
    interpreter: Place
    python: str
    made_seconds: float
    distributions: tuple[Distribution, ...] = ()
    wiring: Wiring = field(default_factory=Wiring)
    constraints: tuple[str, ...] = ()
    overrides: tuple[str, ...] = ()
    own_files: bool = False
    overlap: tuple[str, ...] = ()
    lock: str = ""
    lock_extras: tuple[str, ...] = ()
    lock_groups: tuple[str, ...] = ()
    installers: tuple[str, ...] = ()
    language: str = "python"
    replaced: Place = NOWHERE

    @property
    def is_python(self) -> bool:
        """Say whether packages can be installed here; of other languages it has a library of its own."""
        return self.language == "python"

    def find(self, name: str) -> Distribution | None:
        """Return a distribution by its normalised name, or None."""
        return next((one for one in self.distributions if one.name == name), None)

    @property
    def requested(self) -> tuple[Distribution, ...]:
        """The distributions that somebody asked for."""
        return tuple(one for one in self.distributions if one.requested)


def contents_text(contents: Contents) -> str:
    """Return the file's text."""
    rows = [
        {
            "name": one.name,
            "version": one.version,
            "sha256": one.sha256,
            "wheel": one.wheel,
            "index": one.index,
            "requested": list(one.requested),
            **({"address": one.address} if one.address else {}),
            **({"source": one.source, "source-sha256": one.source_sha256} if one.source else {}),
        }
        for one in contents.distributions
    ]
    fields = {
        "format": FORMAT,
        "name": contents.name,
        "identity": contents.identity,
        "interpreter": to_record_text(contents.interpreter),
        "python": contents.python,
        "made": contents.made_seconds,
        "distributions": rows,
        "wiring": wiring_rows(contents.wiring),
        "constraints": list(contents.constraints),
        "overrides": list(contents.overrides),
        "own-files": contents.own_files,
        **({"overlap": list(contents.overlap)} if contents.overlap else {}),
        "installers": list(contents.installers),
        **({"language": contents.language} if not contents.is_python else {}),
        **({"replaced": to_record_text(contents.replaced)} if contents.replaced else {}),
        **(_lock_row(contents) if contents.lock else {}),
    }
    return to_json_text(fields) + "\n"


def _lock_row(contents: Contents) -> dict[str, object]:
    return {
        "lock": to_record_text(Place(contents.lock)),
        "lock-extras": list(contents.lock_extras),
        "lock-groups": list(contents.lock_groups),
    }


def read_contents(prefix: str) -> Contents | None:
    """Return an environment's content, or None where the folder holds no environment of ours."""
    found = read_file(join(prefix, FILE_NAME))
    if found is None:
        return None
    try:
        read = from_json_text(found[0])
        if not isinstance(read, Mapping) or read.get("format") != FORMAT:
            raise ValueError("of an unknown format")
        return _contents(read)
    except (ValueError, KeyError, TypeError) as error:
        raise CouldNot(
            f"{join(prefix, FILE_NAME)} cannot be read: {error}",
            next_step=ush("environment", "drop", os.path.basename(prefix), why="then make it again"),
        ) from error


def _contents(read: Mapping[str, object]) -> Contents:
    rows = read["distributions"]
    made = read["made"]
    if not isinstance(rows, list) or not isinstance(made, float | int):
        raise TypeError("its fields have the wrong types")
    return Contents(
        wiring=wiring_from_rows(read.get("wiring")),
        name=str(read["name"]),
        identity=str(read["identity"]),
        interpreter=from_record_text(str(read["interpreter"])),
        python=str(read["python"]),
        replaced=from_record_text(str(read.get("replaced", ""))),
        made_seconds=float(made),
        constraints=_texts(read.get("constraints", [])),
        overrides=_texts(read.get("overrides", [])),
        own_files=read.get("own-files") is True,
        overlap=_texts(read.get("overlap", [])),
        installers=_texts(read.get("installers", [])),
        language=str(read.get("language", "python")),
        lock=from_record_text(str(read.get("lock", ""))),
        lock_extras=_texts(read.get("lock-extras", [])),
        lock_groups=_texts(read.get("lock-groups", [])),
        distributions=tuple(
            Distribution(
                name=NormalizedName(str(row["name"])),
                version=str(row["version"]),
                sha256=_sha256(str(row["sha256"])),
                wheel=_file_name(str(row["wheel"])),
                index=str(row["index"]),
                requested=_requested(row["requested"]),
                address=str(row.get("address", "")),
                source=str(row.get("source", "")),
                source_sha256=_sha256(str(row.get("source-sha256", ""))),
            )
            for row in rows
        ),
    )


def _texts(value: object) -> tuple[str, ...]:
    return tuple(map(str, value)) if isinstance(value, list) else ()


def _requested(value: object) -> tuple[str, ...]:
    # An earlier version wrote one text, empty for a dependency.
    return _texts(value) if isinstance(value, list) else tuple(filter(None, (str(value),)))


def _sha256(text: str) -> Sha256:
    found = parse_sha256(text) if text else NO_SHA256
    if found is None:
        raise ValueError(f"{text[:80]!r} is not a SHA-256")
    return found


def _file_name(text: str) -> FileName:
    # An earlier version wrote ", copied" where it is ".copied" now.
    found = parse_file_name(text.replace(", copied", ".copied")) if text else FileName("")
    if found is None:
        raise ValueError(f"{text[:80]!r} is not a file name")
    return found
