"""Copying an environment, or the packages of an application's own interpreter, into a new environment of ours.

The source is only read. Distributions go by way of the store, extras are carried over with their places rewritten, and
what the copy loads is looked at afterwards: nothing of it may come from the source.
"""

import os
import shutil
import uuid
from collections.abc import Callable, Sequence, Sized

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import Step
from unified_shell.core.distributions.record import parse_record
from unified_shell.core.environments.model.base_interpreter import base_of, check_base, check_base_for
from unified_shell.core.environments.model.contents import Contents, Distribution
from unified_shell.core.environments.model.foreign import foreign_distributions
from unified_shell.core.environments.model.layout import is_of_ours, link_place
from unified_shell.core.environments.model.registry import (
    Environment,
    check_name,
    environment_names,
    find_environment,
)
from unified_shell.core.environments.trees.editions import edition_steps, make_edition, unrecorded_files
from unified_shell.core.environments.trees.installer_names import installer_commands
from unified_shell.core.environments.trees.store_filling import FetchWheel, fill_store
from unified_shell.core.environments.trees.store_import import WRITTEN_ANEW, holds_place, import_distribution
from unified_shell.core.errors import InterpreterUnusable, UsageError, UshError
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.managed import trees_it_is_in
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.durable import exchange_file, read_file
from unified_shell.core.machine.files.place_texts import with_place_replaced
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, inside, join, shown
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.planning.everyone import check_not_of_others
from unified_shell.core.store.contents import Store

from .lifecycle import ways_in

__all__ = ["Source", "copied", "count_of_files", "find_source", "plan_copy", "some_of"]

# One line of a terminal.
MOST_TOLD = 6
# Launchers and settings that name a place are small; data is not searched for it.
TEXT_LIMIT_BYTES = 1_000_000
# What a folder takes on the usual file systems: one block.
FOLDER_BYTES = 4096


class Source(Struct, frozen=True, kw_only=True):
    """What is copied: its place, where its modules are, its base, what it holds; `ours` for one that ush made.

    `whole` says that the place is an environment's, whose other files are its own too, and not an interpreter's.
    """

    title: str
    prefix: Place
    site: Place
    base: InterpreterFacts
    distributions: tuple[Distribution, ...]
    extras: tuple[str, ...]
    ours: Environment | None = None
    whole: bool = True
    sees_system: bool = False


def find_source(
    text: str,
    host: Host,
    locations: Locations,
    *,
    into: Locations | None = None,
    base: InterpreterFacts | None = None,
) -> Source:
    """Return the environment of a name, or what is at a path: an environment, or an interpreter with packages in it. A word
    that is no environment's name may be a folder here.

    `into` is where the copy will be, if that is another scope; `base` what it will be on, which may be told for one whose
    own interpreter is gone.

    Raises UsageError for what is neither, InterpreterUnusable where its interpreter does not start.
    """
    here = join(host.working_directory, text)
    is_place = "/" in text or (os.path.isdir(here) and text not in environment_names(locations))
    place = os.path.normpath(here) if is_place else ""
    if not place or is_of_ours(place, locations.data):
        found = find_environment(text, host, locations)
        # Scopes share no store: what is in another one's is read like anything that something else made.
        if not found.foreign and not found.everyones and (into or locations).data == locations.data:
            try:
                return _of_ours(found, base_of(found, host))
            except InterpreterUnusable:
                if base is None or base.short_version != found.short_version:
                    raise
                return _of_ours(found, base)
        place = found.prefix
    if (into or locations).scope is Scope.EVERYONE:
        check_not_of_others(place, host)
    return _foreign(Place(place), host)


def _of_ours(found: Environment, base: InterpreterFacts) -> Source:
    return Source(
        title=f"the environment {found.name}",
        prefix=found.prefix,
        site=found.layout.site_packages,
        base=base,
        distributions=found.contents.distributions,
        extras=unrecorded_files(found.layout),
        ours=found,
    )


def _foreign(place: Place, host: Host) -> Source:
    python = (
        place
        if os.path.isfile(place)
        else next(
            (join(place, "bin", one) for one in ("python", "python3") if os.path.exists(join(place, "bin", one))), ""
        )
    )
    if not python:
        raise UsageError(
            f"{place} is neither an environment nor an interpreter: it has no bin/python",
            next_step="give the folder that holds bin/python, or the interpreter's file",
        )
    facts = probe(python, host)
    prefix = facts.environment_prefix or facts.prefix
    site = next((one for one in facts.site_folders if inside(one, prefix)), "")
    if not site:
        raise UsageError(f"{place} has no folder of packages of its own", next_step=ush("look", python))
    base = facts
    if facts.environment_prefix:
        base = _base_of(facts, host)
    distributions = foreign_distributions(site)
    whole = bool(facts.environment_prefix)
    return Source(
        title=shown(prefix, host.home),
        prefix=Place(prefix),
        site=Place(site),
        base=base,
        distributions=distributions,
        extras=_extras(Place(prefix), Place(site), whole=whole),
        whole=whole,
        sees_system=_sees_system(prefix),
    )


def _base_of(facts: InterpreterFacts, host: Host) -> InterpreterFacts:
    """Return the interpreter that an environment was made on: its link leads there, or its prefix holds it."""
    tried = [facts.real_executable]
    tried += [join(facts.base_prefix, "bin", f"python{one}") for one in (facts.short_version, "3", "")]
    for one in tried:
        try:
            found = probe(one, host)
        except UshError:
            continue
        if not found.environment_prefix and found.short_version == facts.short_version:
            return found
    raise InterpreterUnusable(
        f"the interpreter below {facts.environment_prefix} is not in {facts.base_prefix} any more",
        next_step=ush("interpreter", "list", why="choose another of the same version: --interpreter"),
    )


def _sees_system(prefix: str) -> bool:
    found = read_file(join(prefix, "pyvenv.cfg"))
    text = found[0].decode("utf-8", "replace").lower().replace(" ", "") if found else ""
    return "include-system-site-packages=true" in text


def _extras(prefix: Place, site: Place, *, whole: bool) -> tuple[str, ...]:
    """Return the files that no RECORD names, and those that hold the place itself, relative to the prefix."""
    known: set[str] = set()
    for folder in os.listdir(site):
        record = read_file(join(site, folder, "RECORD")) if folder.endswith(".dist-info") else None
        if record is not None:
            known |= {os.path.normpath(join(site, row.path)) for row in parse_record(record[0], folder)}
            known |= {join(site, folder, name) for name in WRITTEN_ANEW}
    top = prefix if whole else site
    skeleton = {join(prefix, "pyvenv.cfg")}
    found = []
    for above, folders, files in os.walk(top):
        folders[:] = [one for one in folders if one != "__pycache__" and not os.path.islink(join(above, one))]
        for name in files:
            path = join(above, name)
            is_python = above == join(prefix, "bin") and name.startswith("python")
            if path in skeleton or is_python or name.endswith(".pyc"):
                continue
            if path not in known or holds_place(path, prefix):
                found.append(os.path.relpath(path, prefix))
    return tuple(sorted(found))


def plan_copy(
    source: Source,
    name: str,
    facts: InterpreterFacts,
    host: Host,
    locations: Locations,
    *,
    fetch: FetchWheel,
    own_files: bool = False,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to make the environment `name` with all that a source holds; `fetch` is for what the store has lost."""
    check_name(name, locations)
    check_base_for(facts, locations)
    contents = copied_contents(source, name, facts, own_files=own_files)
    prepare = copied(source, contents, facts, host, locations, fetch=fetch, progress=progress)
    return change_of(_plan(source, name, facts, locations, own_files=own_files), prepare=prepare)


def copied_contents(source: Source, name: str, facts: InterpreterFacts, *, own_files: bool = False) -> Contents:
    """Return what the copy of a source will hold, of another name; raises UsageError for a base of another version."""
    check_base(facts)
    if facts.short_version != source.base.short_version:
        raise UsageError(
            f"{facts.title} cannot use what was installed for {source.base.title}",
            next_step=ush("interpreter", "get", "python", source.base.short_version),
        )
    old = source.ours.contents if source.ours is not None else None
    return replace(
        old or Contents(name=name, identity="", interpreter=Place(""), python="", made_seconds=0.0),
        name=name,
        identity=str(uuid.uuid4()),
        interpreter=facts.real_executable,
        python=facts.full_version,
        made_seconds=now_seconds(),
        distributions=source.distributions,
        installers=installer_commands(facts.site_folders),
        own_files=own_files,
        replaced=Place(""),
    )


def copied(
    source: Source,
    contents: Contents,
    facts: InterpreterFacts,
    host: Host,
    locations: Locations,
    *,
    fetch: FetchWheel,
    progress: Callable[[str], None],
) -> Callable[[Place], tuple[Step, ...]]:
    """Return what prepares an environment with all that a source holds, as its contents say."""
    name = contents.name
    prefix = link_place(locations.data, name)

    def prepare(staging: Place) -> tuple[Step, ...]:
        store = Store(locations.data)
        distributions = source.distributions
        if source.ours is None:
            taken = []
            for number, one in enumerate(distributions, 1):
                progress(f"take over, {number} of {len(distributions)}")
                taken.append(import_distribution(one, source.prefix, source.site, store, staging).distribution)
            distributions = tuple(taken)
        held = replace(contents, distributions=distributions)
        ready = fill_store(distributions, fetch, store, staging, facts, host=host, progress=progress)
        tree = join(staging, "tree")
        make_edition(tree, prefix, held, facts, ready, host=host)
        for extra in source.extras:
            _carry(join(source.prefix, extra), join(tree, extra), source.prefix, prefix)
        return edition_steps(tree, name, locations)

    return prepare


def _carry(source: str, target: str, old: str, new: str) -> None:
    """Copy a file that nobody records; a text that names the old place names the new one."""
    if os.path.lexists(target):
        return
    os.makedirs(os.path.dirname(target), exist_ok=True)
    shutil.copy2(source, target, follow_symlinks=False)
    if os.path.islink(target) or os.path.getsize(target) > TEXT_LIMIT_BYTES:
        return
    with open(target, "rb") as file:
        content = file.read()
    if b"\0" not in content and (fresh := with_place_replaced(content, old, new)) != content:
        exchange_file(target, fresh)


def _plan(source: Source, name: str, facts: InterpreterFacts, locations: Locations, *, own_files: bool) -> Plan:
    prefix = link_place(locations.data, name)
    size = sum(os.path.getsize(join(source.prefix, one)) for one in source.extras if _is_file(source.prefix, one))
    lines = [
        plan_line(LineKind.ADD, About.ENVIRONMENT, name=name, prefix=prefix),
        plan_line(LineKind.NOTE, About.INTERPRETER, interpreter=facts.real_executable),
        plan_line(
            LineKind.ADD,
            About.DISTRIBUTIONS,
            titles=tuple(f"{one.name} {one.version}" for one in source.distributions),
        ),
    ]
    if source.extras:
        lines.append(plan_line(LineKind.NOTE, About.UNOWNED_COPIED, files=tuple(source.extras), size_bytes=size))
    if source.sees_system:
        lines.append(plan_line(LineKind.WARNING, About.BASE_PACKAGES_HIDDEN))
    lines.append(plan_line(LineKind.NOTE, About.DISK_NEEDED, size_bytes=_disk_bytes(source, own_files=own_files)))
    if not source.whole:
        lines.append(plan_line(LineKind.NOTE, About.INTERPRETER_STAYS))
    return Plan(
        aim=f"Copy {source.title} into the environment {name} ({facts.title})",
        lines=tuple(lines),
        disk_bytes=_disk_bytes(source, own_files=own_files),
        relies_on=trees_it_is_in(facts.real_executable, locations),
        afterwards=ways_in(name, prefix, locations),
    )


def _disk_bytes(source: Source, *, own_files: bool) -> int:
    """Return about what a copy takes: of one of ours its folders and what is written for it, else all that it holds."""
    size = 0
    for above, _, files in os.walk(source.prefix if source.whole else source.site, followlinks=False):
        size += FOLDER_BYTES
        for name in files:
            facts = os.lstat(join(above, name))
            # What is shared by hard link takes nothing once more.
            shared = source.ours is not None and facts.st_nlink > 1 and not own_files
            size += 0 if shared or (name.endswith(".pyc") and source.ours is None) else facts.st_blocks * 512
    return size


def count_of_files(names: Sized) -> str:
    """Return how many files there are, as a person says it."""
    return "1 file" if len(names) == 1 else f"{len(names)} files"


def _is_file(prefix: str, name: str) -> bool:
    return os.path.isfile(join(prefix, name))


def some_of(names: Sequence[str]) -> str:
    """Return the first of some names, and how many more there are."""
    more = len(names) - MOST_TOLD
    return ", ".join(names[:MOST_TOLD]) + (f" and {more} more" if more > 0 else "")
