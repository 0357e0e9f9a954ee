"""Requirements from files: by the standards' own forms, and mistakes with their places."""

from pathlib import Path

import pytest

from unified_shell.core.environments.packages.requirement_files import read_requirements
from unified_shell.core.errors import UshError

PROJECT = """
[project]
name = "study"
dependencies = ["hivehum>=2"]
[project.optional-dependencies]
Plots = ["combgraph"]
[dependency-groups]
base = ["waggle-io"]
Type-Check = [{ include-group = "base" }, "swarmcast; python_version > '3'"]
round = [{ include-group = "trip" }]
trip = [{ include-group = "round" }]
odd = [{ set-phasers-to = "stun" }]
"""
# The example of PEP 723.
SCRIPT = """
# /// script
# requires-python = ">=3.11"
# dependencies = [
#   "requests<3",
#   "rich",
# ]
# ///

import requests
"""
LIST = "# the study\n\nhivehum >= 2  # hum\n  combgraph[plots]\n"


@pytest.mark.parametrize(
    ("name", "text", "given", "names"),
    [
        ("needs.txt", LIST, {}, ["hivehum", "combgraph"]),
        ("pyproject.toml", PROJECT, {}, ["hivehum"]),
        ("pyproject.toml", PROJECT, {"extras": ["plots"]}, ["hivehum", "combgraph"]),
        ("pyproject.toml", PROJECT, {"groups": ["type_check"]}, ["waggle-io", "swarmcast"]),
        ("script.py", SCRIPT, {}, ["requests", "rich"]),
    ],
)
def test_requirements_are_read(
    tmp_path: Path, name: str, text: str, given: dict[str, list[str]], names: list[str]
) -> None:
    (tmp_path / name).write_text(text)
    assert [one.name for one in read_requirements(str(tmp_path / name), **given)] == names


@pytest.mark.parametrize(
    ("name", "text", "given", "said"),
    [
        ("needs.txt", "hivehum\n--index x\n", {}, "needs.txt, line 2: '--index' is an option"),
        ("needs.txt", "hive hum\n", {}, "needs.txt, line 1: 'hive hum' is not a requirement"),
        ("needs.txt", LIST, {"groups": ["x"]}, "only a pyproject.toml has"),
        ("pyproject.toml", PROJECT, {"extras": ["plot"]}, "Did you mean plots?"),
        ("pyproject.toml", PROJECT, {"groups": ["round"]}, "includes itself, by way of round → trip"),
        ("pyproject.toml", PROJECT, {"groups": ["odd"]}, "expected a requirement or include-group"),
        ("pyproject.toml", "[tool]\n", {}, "has no [project] table"),
        ("pyproject.toml", "[project\n", {}, "is not valid TOML"),
        ("script.py", "import hive\n", {}, "has 0 blocks"),
        ("script.py", SCRIPT + SCRIPT, {}, "has 2 blocks"),
        ("gone.txt", None, {}, "cannot be read"),
    ],
)
def test_mistakes_are_told(
    tmp_path: Path, name: str, text: str | None, given: dict[str, list[str]], said: str
) -> None:
    if text is not None:
        (tmp_path / name).write_text(text)
    with pytest.raises(UshError) as caught:
        read_requirements(str(tmp_path / name), **given)
    assert said in str(caught.value)
