"""ush itself in a pack: its files, those of what it requires, and the scripts that start it there."""

import os
import shutil
import sys
from collections.abc import Iterator
from importlib import metadata

from packaging.requirements import Requirement

from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import Command

__all__ = ["default_archive", "pack_ush", "starting_steps", "write_scripts"]

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
# Equips this machine with the outfit beside this file. Words after it are handed on, such as --yes.
here=$(CDPATH= cd -- "$(dirname -- "$0")" && pwd) || exit
exec sh "$here/ush.sh" outfit equip --from "$here" "$@"
"""

# The same for Windows, whose own tar (of Windows 10 and later) opens the interpreter's archive.
RUN_CMD = """\
@echo off
rem Runs ush from this folder{needs}. Words are those of `ush`.
setlocal
set "here=%~dp0"
set "python={python}"
if not defined python set "program=python.exe" & goto start
set "program=%here%run\\%python%\\python.exe"
if exist "%program%" goto start
if not exist "%here%run" mkdir "%here%run"
"%SystemRoot%\\System32\\tar.exe" -xzf "%here%{archive}" -C "%here%run"
if exist "%program%" goto start
>&2 echo ush: {archive} beside this file could not be unpacked
exit /b 4
:start
"%program%" -I -B -c "import sys; sys.path.insert(0, sys.argv.pop(1)); from unified_shell.entry import main; main()" "%here%ush" %*
exit /b %ERRORLEVEL%
"""
EQUIP_CMD = """\
@echo off
rem Equips this machine with the outfit beside this file. Words after it are handed on, such as --yes.
rem The point keeps the last backslash from the quotes.
call "%~dp0ush.cmd" outfit equip --from "%~dp0." %*
exit /b %ERRORLEVEL%
"""


def default_archive(name: str, *, is_windows: bool) -> str:
    """Return what the pack of an outfit is called where nobody says: of the kind that the system's own programs open."""
    return f"{name}-pack.zip" if is_windows else f"{name}-pack.tar.gz"


def starting_steps(archive: Place, name: str, *, is_windows: bool) -> tuple[Command | str, ...]:
    """Return what is typed on the other machine, beside the archive."""
    if is_windows:
        return (Command(words=("tar", "-xf", archive)), "then", Command(words=(f"{name}-pack\\equip.cmd",)))
    opened = ("unzip", "-q", archive) if archive.endswith(".zip") else ("tar", "-xf", archive)
    return (Command(words=opened), "then", Command(words=("sh", f"{name}-pack/equip.sh")))


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


def write_scripts(stage: Place, version: str, archive: str, *, is_windows: bool) -> None:
    """Write the two scripts; `version` and `archive` are those of the Python that is packed, empty for none."""
    none = "" if is_windows else "''"
    python = f"python-{version}" if version else none
    needs = "" if version else f", and a python3 of version {sys.version_info[0]}.{sys.version_info[1]}"
    run = (RUN_CMD if is_windows else RUN).format(python=python, archive=archive, needs=needs)
    texts = {"ush.cmd": run, "equip.cmd": EQUIP_CMD} if is_windows else {"ush.sh": run, "equip.sh": EQUIP}
    for name, text in texts.items():
        path = join(stage, name)
        # A label is found in a batch file whose lines end as the prompt's do.
        with open(path, "w", encoding="ascii", newline="\r\n" if is_windows else "\n") as file:
            file.write(text)
        os.chmod(path, 0o755)
