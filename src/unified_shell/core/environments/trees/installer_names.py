"""What keeps an installer's name, typed in an entered environment, from reaching another interpreter's installer.

Which names those are is read off the base: each distribution says in its INSTALLER file what put it there, and where that
is a distribution too, its commands are an installer's. In the environment a small script stands under each name and says
what to type, unless a distribution of the environment brings the command itself.
"""

import os
from collections.abc import Sequence

from unified_shell.core.distributions.entry_points import parse_entry_points
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.errors import UshError
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import join
from unified_shell.core.shells.dialects.table import BASH

__all__ = ["installer_commands", "installer_projects", "put_signposts", "signpost_text"]


def installer_projects(site_folders: Sequence[str]) -> tuple[str, ...]:
    """Return the distributions of a base that installed others there."""
    return tuple(sorted(_installers(site_folders)))


def installer_commands(site_folders: Sequence[str]) -> tuple[str, ...]:
    """Return the commands of those distributions."""
    found: set[str] = set()
    for info in _installers(site_folders).values():
        text = read_file(join(info, "entry_points.txt"))
        try:
            found |= {one.name for one in parse_entry_points(text[0], info)} if text else set()
        except UshError:
            continue
    return tuple(sorted(found))


def put_signposts(tree: str, names: Sequence[str], environment: str) -> None:
    """Write a script under each name that nothing in a tree brings."""
    for name in names:
        path = join(tree, "bin", name)
        if not os.path.lexists(path):
            with open(path, "x", encoding="utf-8", errors="surrogateescape") as file:
                file.write(signpost_text(environment))
            os.chmod(path, 0o755)


def signpost_text(environment: str) -> str:
    """Return the script that says what to type instead."""
    name = BASH.quote(environment)
    said = BASH.quote(
        f"{environment} has no installer of its own, and another installer would change another Python."
    )
    lines = (
        "#!/bin/sh",
        f"printf '%s\\n' {said} >&2",
        f"printf 'Next: ush package get NAME -e %s\\n' {name} >&2",
        "exit 2",
        "",
    )
    return "\n".join(lines)


def _installers(site_folders: Sequence[str]) -> dict[str, str]:
    """Return the `.dist-info` folders of distributions that are named as installers, by project."""
    infos, named = {}, set()
    for site in site_folders:
        for folder in os.listdir(site) if os.path.isdir(site) else ():
            if not folder.endswith(".dist-info"):
                continue
            infos[canonicalize_name(folder.split("-")[0])] = join(site, folder)
            said = read_file(join(site, folder, "INSTALLER"))
            if said is not None:
                named.add(canonicalize_name(said[0].decode("utf-8", "replace").strip()))
    return {name: infos[name] for name in named if name in infos}
