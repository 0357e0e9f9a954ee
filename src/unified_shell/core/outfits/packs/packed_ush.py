"""ush itself in a pack: its files, those of what it requires, and the scripts that start it there."""

import os
import shutil
import sys
from collections.abc import Iterator
from importlib import metadata

from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

from unified_shell.core.errors import CouldNot
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.places import Place, join

__all__ = ["pack_ush", "write_scripts"]

# Two scripts: one runs ush from the pack, the other lets it equip the machine.
RUN = """\
#!/bin/sh
# Runs ush from this folder; needs tar and a shell{needs}. Words are those of `ush`.
set -e
here=$(CDPATH= cd -- "$(dirname -- "$0")" && pwd)
python={python}
if [ -n "$python" ]; then
  if [ ! -x "$here/run/$python/bin/python3" ]; then
    mkdir -p "$here/run"
    tar -xzf "$here/{archive}" -C "$here/run"
  fi
  python="$here/run/$python/bin/python3"
else
  python=python3
fi
start='import sys; sys.path.insert(0, sys.argv.pop(1)); from unified_shell.entry import main; main()'
exec "$python" -I -B -c "$start" "$here/ush" "$@"
"""
EQUIP = """\
#!/bin/sh
# Equips this machine with the outfit beside this file. Words are those of `ush outfit equip`.
here=$(CDPATH= cd -- "$(dirname -- "$0")" && pwd) || exit
exec sh "$here/ush.sh" outfit equip --from "$here" "$@"
"""


def pack_ush(folder: Place) -> None:
    """Copy ush and the distributions that it requires, without byte code; in a folder for `sys.path`."""
    wanted, seen = ["unified-shell"], set[str]()
    os.makedirs(folder)
    while wanted:
        name = canonicalize_name(wanted.pop())
        if name in seen:
            continue
        seen.add(name)
        try:
            found = metadata.distribution(name)
        except metadata.PackageNotFoundError as error:
            raise CouldNot(f"{name}, which ush needs, is not installed as a distribution") from error
        for text in found.requires or ():
            requirement = Requirement(text)
            if requirement.marker is None or requirement.marker.evaluate({"extra": ""}):
                wanted.append(requirement.name)
        for source, relative in _files_of(found):
            place = join(folder, relative)
            os.makedirs(os.path.dirname(place), exist_ok=True)
            shutil.copyfile(source, place)


def _files_of(found: metadata.Distribution) -> Iterator[tuple[str, str]]:
    """Return the files of a distribution that are modules or metadata, with their place below `sys.path`; also of one that is
    installed where it is developed.
    """
    for one in found.files or ():
        relative = str(one)
        if relative.startswith("..") or "__pycache__" in relative or relative.endswith((".pyc", ".pth")):
            continue
        if relative.startswith("__editable__"):
            continue
        yield str(found.locate_file(one)), relative
    if canonicalize_name(found.metadata["Name"]) == "unified-shell":
        import unified_shell

        top = os.path.dirname(os.path.dirname(os.path.abspath(unified_shell.__file__)))
        for folder, below, names in os.walk(join(top, "unified_shell")):
            below[:] = [one for one in below if one != "__pycache__"]
            for name in names:
                path = join(folder, name)
                yield path, os.path.relpath(path, top)


def write_scripts(stage: Place, facts: InterpreterFacts | None, archive: str) -> None:
    """Write the two scripts; `archive` is that of the interpreter, where one is packed."""
    python = f"python-{facts.full_version}" if facts is not None else "''"
    needs = "" if facts is not None else f", and a python3 of version {sys.version_info[0]}.{sys.version_info[1]}"
    texts = {"ush.sh": RUN.format(python=python, archive=archive, needs=needs), "equip.sh": EQUIP}
    for name, text in texts.items():
        path = join(stage, name)
        with open(path, "w", encoding="ascii") as file:
            file.write(text)
        os.chmod(path, 0o755)
