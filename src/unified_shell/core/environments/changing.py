"""Changes of a whole environment: made, dropped, its content exchanged. One way for all: a tree, then a link."""

import os
import uuid
from collections.abc import Mapping, Sequence

from unified_shell.core.changes.plan import Change, LineKind, Plan, PlanLine
from unified_shell.core.changes.steps import DropRecord, FlipLink, RetireTree, Step
from unified_shell.core.errors import InterpreterUnusable, Refused, WordsOff
from unified_shell.core.findings import Finding
from unified_shell.core.interpreters.facts import InterpreterFacts, clean_variables, probe
from unified_shell.core.interpreters.kept import read_kept
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, lies_in, shown, to_json_text, to_record_text, typed
from unified_shell.core.machine.processes import run_program
from unified_shell.core.shells.everyone import check_for_everyone

from .adopted import ADOPTED, adopted_places, is_protected, records_file
from .contents import Contents
from .editions import carry_over, check_base, edition_steps, make_edition, unrecorded_files
from .filling import Ready
from .installer_names import installer_commands
from .known import Environment, check_changeable, environment_names
from .layout import edition_number, edition_place, link_place, link_target

__all__ = [
    "base_of",
    "check_base_for",
    "check_name",
    "edition_made",
    "new_contents",
    "plan_drop",
    "plan_drop_unreadable",
    "plan_new",
    "proof_of_start",
    "ways_in",
]

_PROBED: dict[tuple[Place, int, int, int], InterpreterFacts] = {}


def plan_new(
    name: str,
    facts: InterpreterFacts,
    host: Host,
    locations: Locations,
    *,
    why: Sequence[str] = (),
    own_files: bool = False,
) -> Change:
    """Plan to make an empty environment on an interpreter; `why` says why it is not on another one.

    With `own_files` it will share none with others by hard link.
    """
    check_name(name, locations)
    check_base(facts)
    check_base_for(facts, locations)
    prefix = link_place(locations.data, name)
    contents = new_contents(name, facts, own_files=own_files)
    plan = Plan(
        words=f"environment new {name}",
        aim=f"Make the environment {name} on {facts.title}",
        lines=(
            PlanLine(kind=LineKind.ADD, subject=f"environment {name}", detail=shown(prefix, host.home)),
            PlanLine(
                kind=LineKind.NOTE,
                subject=f"its interpreter is {shown(facts.real_executable, host.home)}",
                detail=f"{facts.word_size_bits}-bit {facts.architecture}",
            ),
            *(PlanLine(kind=LineKind.NOTE, subject=one) for one in why),
        ),
        disk_bytes=20_000,
        relies_on=tuple(
            f"tree {one.prefix}" for one in read_kept(locations) if lies_in(facts.real_executable, one.prefix)
        ),
        afterwards=ways_in(name, prefix, host, locations),
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        return edition_made(staging, prefix, contents, facts, {}, host=host, locations=locations, replaced=None)

    return Change(plan=plan, prepare=prepare, verify=lambda: (proof_of_start(prefix, facts, host),))


def check_base_for(facts: InterpreterFacts, locations: Locations) -> None:
    """Raise Refused where everyone's environment would stand on what others cannot read, or can write."""
    if locations.scope is not Scope.EVERYONE:
        return
    for place in dict.fromkeys((os.path.dirname(facts.real_executable), facts.base_prefix, *facts.library_folders)):
        try:
            check_for_everyone(place)
        except Refused as error:
            raise Refused(
                f"{facts.title} in {facts.base_prefix} is no base for everyone: {error.what}",
                next_step="ush interpreter list   (then --interpreter with one that all can read)",
            ) from error


def new_contents(name: str, facts: InterpreterFacts, *, own_files: bool = False) -> Contents:
    """Return what a new, empty environment on an interpreter holds."""
    return Contents(
        name=name,
        identity=str(uuid.uuid4()),
        interpreter=facts.real_executable,
        python=facts.full_version,
        made_seconds=now_seconds(),
        own_files=own_files,
        installers=installer_commands(facts.site_folders),
    )


def plan_drop(environment: Environment, host: Host, locations: Locations) -> Change:
    """Plan to take an environment away; it is kept out of sight for undo."""
    check_changeable(environment)
    name = environment.name
    count = len(environment.contents.distributions)
    replaced = environment.contents.replaced
    links = [replaced] if os.path.islink(replaced) and os.readlink(replaced) == environment.prefix else []
    plan = Plan(
        words=f"environment drop {name}",
        aim=f"Drop the environment {name}",
        lines=(
            PlanLine(
                kind=LineKind.REMOVE,
                subject=f"environment {name}",
                detail=f"{shown(environment.prefix, host.home)}, with {count} distributions",
            ),
            *(PlanLine(kind=LineKind.REMOVE, subject=f"{shown(one, host.home)}, which leads to it") for one in links),
            PlanLine(kind=LineKind.NOTE, subject="undo brings it back as it is; ush journal shows what that keeps"),
        ),
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        return (
            *(FlipLink(link=one, before=environment.prefix, after="") for one in links),
            *_drop_steps(name, staging, locations),
        )

    return Change(plan=plan, prepare=prepare)


def _drop_steps(name: str, staging: Place, locations: Locations) -> tuple[Step, ...]:
    edition = edition_number(link_place(locations.data, name))
    return (
        FlipLink(link=link_place(locations.data, name), before=link_target(name, edition), after=""),
        RetireTree(
            target=edition_place(locations.data, name, edition),
            retired=join(locations.data, "retired", os.path.basename(staging)),
        ),
    )


def plan_drop_unreadable(name: str, why: str, host: Host, locations: Locations) -> Change:
    """Plan to take away an environment of which it cannot be read what it holds."""
    if is_protected(name, locations):
        raise Refused(f"the environment {name} is protected, and {why}", next_step="ush undo")
    adopted = adopted_places(locations).get(name)
    plan = Plan(
        words=f"environment drop {typed(name)}",
        aim=f"Drop the environment {name}" if adopted is None else f"Forget the environment {name}",
        lines=(
            PlanLine(
                kind=LineKind.REMOVE,
                subject=f"environment {name}",
                detail=shown(adopted or link_place(locations.data, name), host.home),
            ),
            PlanLine(kind=LineKind.WARNING, subject=why),
        ),
    )
    if adopted is None:
        return Change(plan=plan, prepare=lambda staging: _drop_steps(name, staging, locations))
    before = to_json_text(to_record_text(adopted))
    forget = DropRecord(path=records_file(locations), keys=(ADOPTED, name), before=before)
    return Change(plan=plan, prepare=lambda _staging: (forget,))


def base_of(environment: Environment, host: Host) -> InterpreterFacts:
    """Return the facts of an environment's interpreter; raises InterpreterUnusable where it is gone or changed, and
    Refused for one of another language, into which nothing is got.
    """
    if environment.contents.language != "python":
        raise Refused(
            f"{environment.name} is an environment of another language ({environment.contents.language}): ush gets"
            " packages for Python only, and changes nothing in it",
            next_step=f"ush environment enter {typed(environment.name)}   (then use that language's own means)",
        )
    anew = (
        f"ush environment copy {typed(environment.name)} {typed(f'{environment.name}-anew')} --interpreter 3"
        f"{environment.whose}   (what was requested is kept)"
    )
    try:
        facts = _probe_once(environment.contents.interpreter, host)
    except InterpreterUnusable as error:
        raise InterpreterUnusable(
            f"the interpreter of the environment {environment.name} does not start: {error.what}", next_step=anew
        ) from error
    if facts.short_version != environment.short_version:
        raise InterpreterUnusable(
            f"{facts.real_executable} is {facts.title} now; the environment {environment.name} was made for"
            f" {environment.contents.python}",
            next_step=anew,
        )
    return facts


def _probe_once(executable: Place, host: Host) -> InterpreterFacts:
    """Probe an interpreter, once in this process while its file stays the same: plan and verification both ask."""
    try:
        found = os.stat(executable)
    except OSError:
        return probe(executable, host)
    key = (executable, found.st_ino, found.st_size, found.st_mtime_ns)
    if key not in _PROBED:
        _PROBED[key] = probe(executable, host)
    return _PROBED[key]


def proof_of_start(prefix: str, facts: InterpreterFacts, host: Host) -> Finding:
    """Start an environment's interpreter once and see that it is the environment's, on the right base."""
    asked = "import sys; sys.stdout.buffer.write('\\0'.join([sys.prefix, sys.base_prefix]).encode('utf-8', 'surrogateescape'))"
    ran = run_program(
        (join(prefix, "bin/python"), "-I", "-B", "-c", asked),
        environment=clean_variables(host),
        timeout_seconds=20,
    )
    answer = os.fsdecode(ran.output).split("\0")
    trouble = ran.trouble
    if not trouble and _resolved(answer[0]) != _resolved(prefix):
        trouble = f"it takes {answer[0]} for its place"
    elif not trouble and os.path.realpath(answer[-1]) != os.path.realpath(facts.base_prefix):
        trouble = f"its library comes from {answer[-1]}, not from {facts.base_prefix}"
    elif not trouble and ran.errors.strip():
        trouble = ran.errors.decode("utf-8", "replace").strip().splitlines()[0]
    return Finding(
        subject=f"environment {os.path.basename(prefix)}",
        question="its interpreter starts, in its own place",
        holds=not trouble,
        answer=trouble or facts.title,
        remedy="ush interpreter list   (choose another)" if trouble else "",
        puts_back=True,
        elapsed_seconds=ran.elapsed_seconds,
    )


def _resolved(prefix: str) -> str:
    """Return an environment's place with links above it followed, its own link not."""
    return join(os.path.realpath(os.path.dirname(prefix)), os.path.basename(prefix))


def edition_made(
    staging: Place,
    prefix: Place,
    contents: Contents,
    facts: InterpreterFacts,
    ready: Mapping[str, Ready],
    *,
    host: Host,
    locations: Locations,
    replaced: Environment | None,
) -> tuple[Step, ...]:
    """Make the tree of an environment in staging, with what nobody's record names of the one that it replaces, and
    return the steps that put it in use.
    """
    tree = join(staging, "tree")
    make_edition(tree, prefix, contents, facts, ready, host=host)
    if replaced is not None and replaced.edition:
        carry_over(replaced.prefix, tree, unrecorded_files(replaced.prefix, facts.short_version))
    return edition_steps(tree, contents.name, locations, before=replaced.edition if replaced is not None else 0)


def check_name(name: str, locations: Locations) -> None:
    """Raise WordsOff or Refused for what cannot be a new environment's name."""
    if not name or name in (".", "..") or "/" in name or name.startswith((".", "-")) or not name.isprintable():
        raise WordsOff(
            f"{name!r} cannot be an environment's name: it becomes a folder's name; no '/', no leading '.' or '-'",
            next_step="ush environment new hive",
        )
    if ":" in name:
        raise WordsOff(
            f"{name!r} cannot be an environment's name: a colon separates the entries of PATH",
            next_step="ush environment new hive",
        )
    if name in environment_names(locations):
        raise Refused(
            f"there is an environment named {name} already",
            next_step=f"ush environment show {typed(name)}   or   ush environment drop {typed(name)}",
        )


def ways_in(name: str, prefix: Place, host: Host, locations: Locations) -> tuple[str, ...]:
    """Return lines that say how a new environment is used."""
    word = typed(name)
    whose = locations.for_whom
    return (
        f"Enter it:         ush environment enter {word}",
        f"or in a script:   . {typed(join(prefix, 'enter.sh'), host.home)}",
        f"Put packages in:  ush package get NAME -e {word}{whose}",
    )
