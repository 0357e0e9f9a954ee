"""Loading many modules at little cost: each in a process that was forked from one that has loaded what it depends on.

Starting an interpreter and loading what several modules have in common is most of the time of a check. So what is
common is loaded once, along the dependencies, and each distribution still loads in a process where nothing but what it
requires was loaded before it. What fails there, hangs or takes its process down is asked again alone, in a new interpreter,
where nothing but itself can be the cause.
"""

import os
from collections.abc import Mapping, Sequence

from packaging.requirements import InvalidRequirement, Requirement
from packaging.utils import NormalizedName, canonicalize_name

from unified_shell.core.distributions.entry_points import EntryPoint
from unified_shell.core.distributions.markers import applies
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import to_json_text
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.verification.programs import program

from .installed_metadata import Installed

__all__ = ["loaded_together", "word_of"]

# One word of a large package may load for long from a slow volume; what takes longer here is asked again alone.
WORD_SECONDS = 60
FIRST_SECONDS, MORE_SECONDS = 120.0, 2.0
Projects = Mapping[NormalizedName, Installed]


def word_of(entry: EntryPoint) -> str:
    """Return the object that an entry point names, as `module:attribute`."""
    return f"{entry.module}:{entry.attribute}"


def loaded_together(
    projects: Sequence[NormalizedName],
    installed: Projects,
    facts: InterpreterFacts,
    environment: Environment,
    host: Host,
) -> dict[str, float]:
    """Return the seconds that each module and entry point (`module:attribute`) of these projects took to load, where it
    does.
    """
    tree = _Tree(installed, facts)
    tree.add(projects)
    if not tree.words:
        return {}
    task = {"workers": os.cpu_count() or 1, "seconds": WORD_SECONDS, "nodes": tree.nodes}
    ran = run_program(
        (environment.layout.python, "-I", "-B", "-W", "ignore", program("import_forked")),
        environment=clean_variables(host),
        timeout_seconds=FIRST_SECONDS + MORE_SECONDS * len(tree.words),
        given=to_json_text(task).encode("ascii"),
        with_descendants=True,
    )
    found: dict[str, float] = {}
    for line in ran.output.decode("ascii", "replace").splitlines():
        number, _, seconds = line[1:].partition(" ")
        if line.startswith("=") and number.isdigit() and int(number) < len(tree.words):
            found[tree.words[int(number)]] = float(seconds)
    return found


class _Tree:
    """The processes, as `import_forked` is told of them: one for each project, below one that it depends on."""

    def __init__(self, installed: Projects, facts: InterpreterFacts) -> None:
        self._installed = installed
        self._needs = _dependencies(installed, facts)
        self._below = {name: _reached(name, self._needs) for name in installed}
        self._numbers: dict[NormalizedName, int] = {}
        self._has: dict[NormalizedName, frozenset[NormalizedName]] = {}
        self.nodes: list[dict[str, object]] = []
        self.words: list[str] = []

    def add(self, projects: Sequence[NormalizedName]) -> None:
        """Add a node for each project that is installed, those that others depend on first."""
        chosen = {one for one in projects if one in self._installed}
        for name in sorted(chosen, key=lambda one: (len(self._below[one]), one)):
            self._add(name)

    def _add(self, name: NormalizedName) -> None:
        there = self._installed[name]
        fitting = [one for one in self._needs[name] if one in self._numbers and name not in self._below[one]]
        parent = max(fitting, key=lambda one: (len(self._has[one]), one), default=None)
        has = self._has[parent] if parent is not None else frozenset()
        lacking = sorted(self._below[name] - has - {name}, key=lambda one: (len(self._below[one]), one))
        self._numbers[name] = len(self.nodes)
        self._has[name] = has | frozenset(lacking) | {name}
        self.nodes.append(
            {
                "parent": self._numbers[parent] if parent is not None else -1,
                "first": [self._installed[one].imports[0] for one in lacking if self._installed[one].imports],
                "own": [self._numbered(one) for one in there.imports[:1]],
                "apart": [self._numbered(one) for one in there.imports[1:]],
                "after": [self._numbered(word_of(one)) for one in there.commands],
            }
        )

    def _numbered(self, word: str) -> tuple[int, str]:
        self.words.append(word)
        return len(self.words) - 1, word


def _dependencies(installed: Projects, facts: InterpreterFacts) -> dict[NormalizedName, tuple[NormalizedName, ...]]:
    """Return what each project requires here, as far as that is installed."""
    markers = facts.markers()
    found: dict[NormalizedName, tuple[NormalizedName, ...]] = {}
    for name, there in installed.items():
        needs = []
        for text in there.metadata.requires:
            try:
                needed = Requirement(text)
            except InvalidRequirement:
                continue
            if applies(needed, markers) and canonicalize_name(needed.name) in installed:
                needs.append(canonicalize_name(needed.name))
        found[name] = tuple(dict.fromkeys(needs))
    return found


def _reached(
    name: NormalizedName, needs: Mapping[NormalizedName, tuple[NormalizedName, ...]]
) -> frozenset[NormalizedName]:
    """Return all that a project depends on, near and far; itself only where it does."""
    seen: set[NormalizedName] = set()
    todo = list(needs[name])
    while todo:
        one = todo.pop()
        if one not in seen:
            seen.add(one)
            todo += needs[one]
    return frozenset(seen)
