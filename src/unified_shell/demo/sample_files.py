"""The sample files of the apiary study, in one folder: what the README, the guides and the examples of help are typed with."""

import os
import sys

from unified_shell.core.errors import Refused
from unified_shell.core.machine.files.tree_links import link_or_copy
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import ush

from .sample_suite import make_humscan_catalog
from .study import make_study_index, make_tools

__all__ = ["write_sample_files"]

OUTFIT = """\
[outfit]
name = "hive-acoustics"
summary = "The hum of the hives, recorded to foresee swarms"

[index.apiary]
url = "wheels"

[catalog.apiary]
url = "catalog"

[environment.hive]
packages = ["swarmcast", "hivehum>=1"]

[suite.humscan]
version = ">=1.4"
trial = true

[search-path.PATH]
front = ["tools"]

[variables]
HIVE_DATA = "{home}/hive-data"

[[check]]
module = "waggle"
in = "hive"
"""
TEXTS = {
    "outfit.toml": OUTFIT,
    "packages.txt": "# What the study imports.\nswarmcast>=1\nhivehum>=2\n",
    "bounds.txt": "waggle-io<1\n",
    "lab.toml": '[[check]]\nmodule = "waggle"\nin = "hive"\n\n[[check]]\ncommand = ["humscan", "--version"]\nversion = ">=1.4"\n',
    "analysis.py": "import hivehum\n\nprint('the analysis found', hivehum.__name__)\n",
    "modules/combs.py": '"""How many cells a comb has."""\n\ncells = 3500\n',
    "old-study/pyvenv.cfg": "home = {python}\ninclude-system-site-packages = false\n",
    "combscan-2.0/setup.sh": '# Source this in every terminal.\nexport COMBSCAN_HOME="$(cd "$(dirname "${BASH_SOURCE:-$0}")" && pwd)"\n'
    'export PATH="$COMBSCAN_HOME/bin:$PATH"\n',
}
COMBSCAN = '#!/bin/sh\n# Counts the cells of a comb.\necho "combscan 2.0"\n'


def write_sample_files(text: str, host: Host) -> Place:
    """Write the sample files into a folder that is empty or not there, and return it.

    An index (`wheels`), a catalog (`catalog`), a tool (`tools`), a module (`modules`), an outfit, lists of packages and bounds, checks, a script of
    the study, an environment that another tool made (`old-study`) and a suite with a session script (`combscan-2.0`).
    """
    folder = Place(os.path.normpath(join(host.working_directory, os.path.expanduser(text))))
    if os.path.exists(folder) and (not os.path.isdir(folder) or os.listdir(folder)):
        raise Refused(
            f"{shown(folder, host.home)} is there already", next_step=ush("demo", "--files", "ANOTHER-FOLDER")
        )
    make_study_index(join(folder, "wheels"))
    make_humscan_catalog(join(folder, "catalog"))
    make_tools(join(folder, "tools"))
    for name, content in TEXTS.items():
        _write(join(folder, name), content.replace("{python}", os.path.dirname(os.path.realpath(host.python))))
    _write(join(folder, "combscan-2.0/bin/combscan"), COMBSCAN, 0o755)
    old = join(folder, "old-study")
    os.makedirs(join(old, "bin"))
    os.makedirs(join(old, f"lib/python{sys.version_info[0]}.{sys.version_info[1]}/site-packages"))
    for name in ("python", "python3"):
        link_or_copy(os.path.realpath(host.python), join(old, "bin", name))
    return folder


def _write(path: str, text: str, mode: int = 0o644) -> None:
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "w", encoding="utf-8") as file:
        file.write(text)
    os.chmod(path, mode)
