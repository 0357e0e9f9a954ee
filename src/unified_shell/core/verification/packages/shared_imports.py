"""Loading many modules at little cost: in processes that are forked from those that have loaded what they depend on.

Starting an interpreter and loading what several modules have in common is most of the time of a check. So what others
depend on is loaded once, in the order of dependencies, in a few stages, each in a fork of the stage before; what nothing
depends on, and the commands, are loaded beside that, in a fork of the first stage that has all they require. Where asked
for, each project is forked from a process in which nothing but what it requires was loaded: that takes two to three times as
long, and sees a module that works only because an unrelated one was loaded before. What fails, hangs or takes its process
down is asked again alone, in a new interpreter, where nothing but itself can be the cause.
"""

import os
from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from unified_shell.core.distributions.entry_points import EntryPoint
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import to_json_text
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.verification.programs import program

from .installed_metadata import Installed
from .requirements_here import requirements_here

__all__ = ["Loaded", "loaded_together", "word_of"]

# One word of a large package may load for long from a slow volume; what takes longer here is asked again alone.
WORD_SECONDS = 60
# Forks of large processes cost some 40 ms each here; the stages only let a second core begin early.
STAGES = 4
FIRST_SECONDS, MORE_SECONDS = 120.0, 2.0
Projects = Mapping[NormalizedName, Installed]


def word_of(entry: EntryPoint) -> str:
    """Return the object that an entry point names, as `module:attribute`."""
    return f"{entry.module}:{entry.attribute}"


class Loaded(Struct):
    """What came of it: the seconds that each word took that loads, and the module that others say they do not find."""

    seconds: dict[str, float] = field(default_factory=dict)
    lacking: dict[str, str] = field(default_factory=dict)


def loaded_together(
    projects: Sequence[NormalizedName],
    installed: Projects,
    facts: InterpreterFacts,
    environment: Environment,
    host: Host,
    *,
    apart: bool = False,
    limit_seconds: float = WORD_SECONDS,
) -> Loaded:
    """Load each module and entry point (`module:attribute`) of these projects. With `apart`, nothing that a project does not
    require is loaded before it.
    """
    tree = _Tree(installed, _dependencies(installed, facts, environment))
    tree.add(projects, apart=apart)
    if not tree.words:
        return Loaded()
    task = {
        "workers": os.cpu_count() or 1,
        "seconds": max(1, int(min(WORD_SECONDS, limit_seconds))),
        "nodes": tree.nodes,
    }
    ran = run_program(
        (environment.layout.python, "-I", "-B", "-W", "ignore", program("import_forked")),
        environment=clean_variables(host),
        timeout_seconds=FIRST_SECONDS + MORE_SECONDS * len(tree.words),
        given=to_json_text(task).encode("ascii"),
        with_descendants=True,
    )
    found = Loaded()
    for line in ran.output.decode("ascii", "replace").splitlines():
        number, _, told = line[1:].partition(" ")
        if line[:1] not in "=-" or not number.isdigit() or int(number) >= len(tree.words):
            continue
        word = tree.words[int(number)]
        if line.startswith("="):
            found.seconds[word] = float(told)
        else:
            found.lacking[word] = told
    return found


class _Tree:
    """The processes, as `import_forked` is told of them: one for each project, below one that it depends on."""

    def __init__(self, installed: Projects, needs: Mapping[NormalizedName, tuple[NormalizedName, ...]]) -> None:
        self._installed = installed
        self._needs = needs
        self._below = {name: _reached(name, needs) for name in installed}
        self.nodes: list[dict[str, object]] = []
        self.words: list[str] = []

    def add(self, projects: Sequence[NormalizedName], *, apart: bool) -> None:
        """Add nodes that load each project that is installed, those that others depend on first."""
        chosen = [one for one in dict.fromkeys(projects) if one in self._installed]
        chosen.sort(key=lambda one: (len(self._below[one]), one))
        if apart:
            self._add_apart(chosen)
        else:
            self._add_in_stages(chosen)

    def _add_in_stages(self, chosen: Sequence[NormalizedName]) -> None:
        needed = {one for name in chosen for one in self._below[name]}
        common = [one for one in chosen if one in needed]
        size = max(1, -(-len(common) // STAGES))
        stages = [common[at : at + size] for at in range(0, len(common), size)] or [[]]
        stage_of = {name: number for number, stage in enumerate(stages) for name in stage}
        beside: list[list[NormalizedName]] = [[] for _ in stages]
        for name in (one for one in chosen if one not in needed):
            beside[max((stage_of.get(one, 0) for one in self._below[name]), default=0)].append(name)
        last = -1
        for stage, others in zip(stages, beside, strict=True):
            last = self._add(last, (), [word for name in stage for word in self._installed[name].imports[:1]])
            words = [word for name in stage for word in self._further(name)]
            words += [word for name in others for word in (*self._installed[name].imports[:1], *self._further(name))]
            self._add(last, (), words)

    def _add_apart(self, chosen: Sequence[NormalizedName]) -> None:
        numbers: dict[NormalizedName, int] = {}
        has: dict[NormalizedName, frozenset[NormalizedName]] = {}
        for name in chosen:
            fitting = [one for one in self._needs[name] if one in has and name not in self._below[one]]
            parent = max(fitting, key=lambda one: (len(has[one]), one), default=None)
            above = has[parent] if parent is not None else frozenset()
            lacking = sorted(self._below[name] - above - {name}, key=lambda one: (len(self._below[one]), one))
            has[name] = above | frozenset(lacking) | {name}
            first = [self._installed[one].imports[0] for one in lacking if self._installed[one].imports]
            at = numbers[parent] if parent is not None else -1
            numbers[name] = self._add(at, first, self._installed[name].imports[:1])
            self._add(numbers[name], (), self._further(name))

    def _further(self, name: NormalizedName) -> list[str]:
        """Return the words of a project behind its first module: more modules, and the entry points of its commands."""
        there = self._installed[name]
        return [*there.imports[1:], *(word_of(one) for one in there.commands)]

    def _add(self, parent: int, first: Sequence[str], words: Sequence[str]) -> int:
        numbered = [self._numbered(one) for one in words]
        self.nodes.append({"parent": parent, "first": list(first), "words": numbered})
        return len(self.nodes) - 1

    def _numbered(self, word: str) -> tuple[int, str]:
        self.words.append(word)
        return len(self.words) - 1, word


def _dependencies(
    installed: Projects, facts: InterpreterFacts, environment: Environment
) -> dict[NormalizedName, tuple[NormalizedName, ...]]:
    """Return what each project requires here, as far as that is installed."""
    return {
        name: tuple(
            dict.fromkeys(canonicalize_name(one.name) for one in needed if canonicalize_name(one.name) in installed)
        )
        for name, needed in requirements_here(installed, facts.markers(), environment).items()
    }


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
