"""Making the tree of an environment beside the one in use: PEP 405, then what it holds."""

import contextlib
import os
import shutil
from collections.abc import Mapping

from unified_shell.core.changes.steps import FlipLink, PlaceTree, Step
from unified_shell.core.distributions.record import parse_record
from unified_shell.core.environments.model.contents import FILE_NAME, Contents, contents_text, read_contents
from unified_shell.core.environments.model.layout import WIRED_MARK, Layout, edition_place, link_place, link_target
from unified_shell.core.errors import InterpreterUnusable, WheelBroken
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.files.tree_links import MOVED_MARK, link_or_copy
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, parent_folder
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.wiring.enter_scripts import enter_scripts
from unified_shell.core.store.sharing import Sharer

from .installer_names import put_signposts
from .store_filling import Ready
from .wheel_installing import Installer

__all__ = ["carry_over", "edition_steps", "make_edition", "unrecorded_files"]

# What stands for the interpreter in an environment on Windows.
REDIRECTORS = ("python.exe", "pythonw.exe")
IDENTITY_KEY = "unified-shell-identity"


def make_edition(
    tree: str,
    prefix: str,
    contents: Contents,
    facts: InterpreterFacts,
    ready: Mapping[str, Ready],
    *,
    host: Host,
) -> None:
    """Make the whole tree at `tree`, which is to be used as `prefix`; `ready` are contents by SHA-256."""
    layout = Layout(prefix=Place(prefix), short_version=facts.short_version, is_windows=facts.is_windows)
    _make_skeleton(tree, layout, contents, facts, host)
    preferred = frozenset(contents.overlap)
    installer = Installer(
        tree=Place(tree),
        layout=layout,
        facts=facts,
        sharer=Sharer(own_files=contents.own_files),
        preferred=preferred,
    )
    try:
        for distribution in sorted(contents.distributions, key=lambda one: one.name not in preferred):
            one = ready[distribution.sha256]
            installer.install(distribution, one.content, one.bytecode)
    except (FileExistsError, NotADirectoryError, IsADirectoryError) as error:
        raise WheelBroken(
            f"two distributions provide different files for {error.filename2 or error.filename}"
        ) from error
    if not layout.is_windows:
        put_signposts(tree, contents.installers, contents.name)


def edition_steps(tree: Place, name: str, locations: Locations, *, before: int = 0) -> tuple[Step, ...]:
    """Return the steps that make a tree the edition of an environment that is in use, after edition `before` (0: none).

    Older ones may still be there, kept for undo.
    """
    number = before + 1
    while os.path.lexists(edition_place(locations.data, name, number)):
        number += 1
    return (
        PlaceTree(staged=tree, target=edition_place(locations.data, name, number)),
        FlipLink(
            link=link_place(locations.data, name),
            before=link_target(name, before) if before else "",
            after=link_target(name, number),
        ),
    )


def carry_over(old: str, tree: str, files: tuple[str, ...]) -> None:
    """Copy files that no record names from the old edition to the new one."""
    for name in files:
        target = join(tree, name)
        if os.path.lexists(target):
            continue
        os.makedirs(os.path.dirname(target), exist_ok=True)
        shutil.copy2(join(old, name), target, follow_symlinks=False)


def unrecorded_files(layout: Layout) -> tuple[str, ...]:
    """Return the files in an environment that nobody's record names, relative to its prefix.

    Byte code is never among them: it follows from sources.
    """
    prefix = layout.prefix
    known = {*_skeleton_names(layout), *_signposts(layout)}
    site = layout.site_packages
    for folder in sorted(os.listdir(site)) if os.path.isdir(site) else ():
        record = join(site, folder, "RECORD")
        if folder.endswith(".dist-info") and os.path.exists(record):
            with open(record, "rb") as file:
                rows = parse_record(file.read(), record)
            known |= {os.path.normpath(f"{layout.site_packages_name}/{row.path}") for row in rows}
    found = []
    for above, folders, files in os.walk(prefix):
        folders[:] = [one for one in folders if one != "__pycache__" and not os.path.islink(join(above, one))]
        found += [os.path.relpath(join(above, one), prefix) for one in files]
    return tuple(sorted(one for one in found if one not in known and not one.endswith(".pyc")))


def _signposts(layout: Layout) -> tuple[str, ...]:
    contents = read_contents(layout.prefix)
    return tuple(f"{layout.scripts_name}/{name}" for name in contents.installers) if contents is not None else ()


def _skeleton_names(layout: Layout) -> tuple[str, ...]:
    pythons = REDIRECTORS if layout.is_windows else ("python", "python3", f"python{layout.short_version}")
    return (
        *(f"{layout.scripts_name}/{name}" for name in pythons),
        "pyvenv.cfg",
        FILE_NAME,
        WIRED_MARK,
        MOVED_MARK,
        *enter_scripts("", "/", "/"),
    )


def _make_skeleton(tree: str, layout: Layout, contents: Contents, facts: InterpreterFacts, host: Host) -> None:
    """Make what PEP 405 asks for, and the scripts that enter the environment."""
    for folder in (layout.scripts_name, "Include" if layout.is_windows else "include", layout.site_packages_name):
        os.makedirs(join(tree, folder))
    if layout.is_windows:
        _put_redirectors(tree, layout, facts)
    else:
        # From 3.11 on the base is found by `home`, before by the link: both must name the real executable.
        link_or_copy(facts.real_executable, join(tree, "bin/python"))
        link_or_copy("python", join(tree, "bin/python3"))
        link_or_copy("python", join(tree, f"bin/python{facts.short_version}"))
    if facts.word_size_bits == 64 and facts.system == "linux":
        # Some programs look there; without links it is not worth a copy.
        with contextlib.suppress(OSError):
            os.symlink("lib", join(tree, "lib64"))
    config = (
        f"home = {parent_folder(facts.real_executable, is_windows=layout.is_windows)}\n"
        "include-system-site-packages = false\n"
        f"version = {facts.full_version}\n"
        f"executable = {facts.real_executable}\n"
        f"{IDENTITY_KEY} = {contents.identity}\n"
    )
    _write(tree, "pyvenv.cfg", config)
    _write(tree, FILE_NAME, contents_text(contents))
    for script, text in enter_scripts(contents.name, layout.prefix, host.home, contents.wiring).items():
        _write(tree, script, text)
    if not contents.wiring.is_empty:
        # A mark for running, which must be quick: only then has it more to read.
        _write(tree, WIRED_MARK, "")


def _put_redirectors(tree: str, layout: Layout, facts: InterpreterFacts) -> None:
    """Copy the base's own small programs that start it for an environment: they read `home` in pyvenv.cfg."""
    for name in REDIRECTORS:
        source = join(facts.base_prefix, "Lib", "venv", "scripts", "nt", name)
        if os.path.exists(source):
            shutil.copy2(source, join(tree, layout.scripts_name, name))
        elif name == REDIRECTORS[0]:
            raise InterpreterUnusable(
                f"{facts.title} has no {name} for environments in its Lib\\venv\\scripts\\nt",
                where=facts.base_prefix,
                next_step=ush("interpreter", "list", why="then choose another one with --interpreter"),
            )


def _write(tree: str, name: str, text: str) -> None:
    os.makedirs(os.path.dirname(join(tree, name)), exist_ok=True)
    with open(join(tree, name), "x", encoding="utf-8", errors="surrogateescape") as file:
        file.write(text)
