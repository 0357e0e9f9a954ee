"""Having all that an edition holds in the store: fetched, unpacked and compiled, each while the others go on."""

import os
from collections.abc import Callable, Sequence

from msgspec import Struct
from packaging.version import InvalidVersion

from unified_shell.core.distributions.metadata import parse_metadata
from unified_shell.core.distributions.versions import read_version
from unified_shell.core.distributions.wheels import unpack_wheel
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.errors import CouldNot, WheelBroken
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.files.disks import read_disk, shown_size
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.pool import map_as_done
from unified_shell.core.store.contents import Content, Part, Store, StoredFile

from .bytecode import Compilers, bytecode_part

__all__ = ["FetchWheel", "Ready", "fill_store"]

FetchWheel = Callable[[Distribution], str]
# Polite to one server.
FETCHES_AT_ONCE = 4


class Ready(Struct, frozen=True, kw_only=True):
    """What one distribution is shared from."""

    content: Content
    bytecode: Part


def fill_store(
    distributions: Sequence[Distribution],
    fetch: FetchWheel,
    store: Store,
    staging: str,
    facts: InterpreterFacts,
    *,
    host: Host,
    progress: Callable[[str], None],
) -> dict[str, Ready]:
    """Return what each is shared from, by SHA-256; raises what fetching and unpacking raise, and CouldNot."""
    part = bytecode_part(facts)

    def brought(one: Distribution) -> Content:
        # Unpacking lets go of the interpreter's lock, as fetching does: one goes on while others wait for bytes.
        path = fetch(one)
        _check_space(path, store)
        return store.add(one.sha256, staging, lambda into: _unpack_checked(path, into, one))

    contents = {one.sha256: store.find(one.sha256) for one in distributions}
    missing = [one for one in distributions if contents[one.sha256] is None]
    ready: dict[str, Ready] = {}
    begun: list[tuple[Content, str, Callable[[], None]]] = []
    with Compilers(facts, host) as compilers:

        def compiled(content: Content) -> None:
            if (there := store.part(content, part)) is not None:
                ready[content.sha256] = Ready(content=content, bytecode=there)
                return
            making = join(staging, f"{part}-{content.sha256}")
            os.makedirs(making)
            begun.append((content, making, compilers.begin(content, making)))

        for content in contents.values():
            if content is not None:
                compiled(content)
        for number, (_, content) in enumerate(map_as_done(brought, missing, workers=FETCHES_AT_ONCE), 1):
            progress(f"unpack, {number} of {len(missing)}")
            compiled(content)
        for number, (content, making, wait) in enumerate(begun, 1):
            progress(f"compile, {number} of {len(begun)}")
            wait()
            kept = store.keep_part(content, part, making, staging)
            ready[content.sha256] = Ready(content=content, bytecode=kept)
    return ready


def _unpack_checked(path: str, into: str, one: Distribution) -> tuple[StoredFile, ...]:
    """Unpack a wheel and see that its metadata is of the project and version that were planned; raises WheelBroken."""
    files = unpack_wheel(path, into, one.name)
    where = os.path.basename(path)
    inside = (file.name for file in files if file.name.count("/") == 1)
    info = next((name for name in inside if name.endswith(".dist-info/METADATA")), "")
    if not info:
        raise WheelBroken("it has no METADATA", where=where)
    with open(join(into, info), "rb") as opened:
        metadata = parse_metadata(opened.read(), where)
    try:
        same = metadata.name == one.name and read_version(metadata.version) == read_version(one.version)
    except InvalidVersion:
        same = False
    if not same:
        raise WheelBroken(
            f"it contains {metadata.name} {metadata.version}, not {one.name} {one.version} as planned",
            where=where,
            next_step="tell the maintainer of the index",
        )
    return files


def _check_space(wheel: str, store: Store) -> None:
    # Honest wheels unpack to 2.5 to 5 times their size, byte code adds about as much as the sources.
    need, free = os.path.getsize(wheel) * 6, read_disk(store.top).free_bytes
    if need > free:
        raise CouldNot(
            f"{os.path.basename(wheel)} needs about {shown_size(need)}; only {shown_size(free)} free",
            where=store.top,
            next_step="free some disk space, or set USH_HOME to another disk",
        )
