"""The apiary study: its distributions, and a folder of tools that is on no path."""

import os
from collections.abc import Sequence
from pathlib import Path

from .wheel_maker import WheelSource, make_wheel

__all__ = ["STUDY_WHEELS", "make_study_index", "make_tools"]

# project, version, import package, requirements, extras, commands, summary
STUDY_WHEELS = (
    ("waggle-io", "0.9.1", "waggle", (), (), (), "Reads and writes recordings of hives"),
    (
        "hivehum",
        "2.1.0",
        "hivehum",
        ("waggle-io>=0.9",),
        (),
        ("hivehum = hivehum.command:main",),
        "How strongly a hive hums at each pitch",
    ),
    ("combgraph", "1.0.2", "combgraph", (), (), (), "Draws bars of text"),
    (
        "swarmcast",
        "1.2.0",
        "swarmcast",
        ("hivehum>=2", "waggle-io", "combgraph; python_version>='3.8'"),
        (),
        ("swarmcast = swarmcast.command:main",),
        "Foresees which hives will swarm",
    ),
)

TOOL = """\
#!/bin/sh
# Weighs a hive of the apiary study.
case ${1-} in
  --version) echo "weigh-hive 1.0" ;;
  *) echo "hive ${1:-clover}: 41.5 kg" ;;
esac
"""


def make_study_index(folder: str, names: Sequence[str] = ()) -> None:
    """Write the study's wheels into a folder; all, or those named."""
    top = Path(__file__).with_name("study_data")
    for project, version, package, requires, extras, commands, summary in STUDY_WHEELS:
        if names and project not in names:
            continue
        files = {f"{package}/{one.name}": one.read_bytes() for one in sorted((top / package).glob("*.py"))}
        source = WheelSource(
            project=project,
            version=version,
            summary=summary,
            files=files,
            requires=requires,
            extras=extras,
            commands=commands,
        )
        make_wheel(source, folder)


def make_tools(folder: str) -> str:
    """Write a folder with one command in it and return the command's path."""
    os.makedirs(folder, exist_ok=True)
    path = os.path.join(folder, "weigh-hive")
    with open(path, "w", encoding="ascii") as file:
        file.write(TOOL)
    os.chmod(path, 0o755)
    return path
