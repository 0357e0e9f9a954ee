"""Making and dropping a whole environment: a tree, then a link."""

import os
from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, FlipLink, RetireTree, Step
from unified_shell.core.environments.model.adopted import ADOPTED, adopted_places, is_protected, records_file
from unified_shell.core.environments.model.base_interpreter import check_base, check_base_for
from unified_shell.core.environments.model.layout import edition_number, edition_place, link_place, link_target
from unified_shell.core.environments.model.registry import Environment, check_changeable, check_name
from unified_shell.core.environments.trees.next_edition import edition_made, new_contents, proof_of_start
from unified_shell.core.errors import Refused
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.managed import trees_it_is_in
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, to_json_text, to_record_text
from unified_shell.core.next_steps import Afterward, Command, Labelled, ush
from unified_shell.core.shells.planning.added_lines import added_lines
from unified_shell.core.shells.wiring.wiring import Wiring

__all__ = ["plan_drop", "plan_drop_unreadable", "plan_new", "ways_in"]


def plan_new(
    name: str,
    facts: InterpreterFacts,
    host: Host,
    locations: Locations,
    *,
    why: Sequence[str] = (),
    own_files: bool = False,
    wiring: Wiring | None = None,
) -> Change:
    """Plan to make an empty environment on an interpreter; `why` says why it is not on another one.

    With `own_files` it will share none with others by hard link; `wiring` holds while it is entered.
    """
    check_name(name, locations)
    check_base(facts)
    check_base_for(facts, locations)
    prefix = link_place(locations.data, name)
    contents = replace(new_contents(name, facts, own_files=own_files), wiring=wiring or Wiring())
    plan = Plan(
        aim=f"Create the environment {name} on {facts.title}",
        lines=(
            plan_line(LineKind.ADD, About.ENVIRONMENT, name=name, prefix=prefix),
            plan_line(
                LineKind.NOTE,
                About.INTERPRETER,
                interpreter=facts.real_executable,
                bits=facts.word_size_bits,
                architecture=facts.architecture,
            ),
            *added_lines(Wiring(), contents.wiring),
            *(plan_line(LineKind.NOTE, About.INTERPRETER_REJECTED, reason=one) for one in why),
        ),
        disk_bytes=20_000,
        relies_on=trees_it_is_in(facts.real_executable, locations),
        afterwards=ways_in(name, prefix, locations),
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        return edition_made(staging, prefix, contents, facts, {}, host=host, locations=locations, replaced=None)

    return change_of(plan, prepare=prepare, verify=lambda: (proof_of_start(prefix, facts, host),))


def plan_drop(environment: Environment, locations: Locations) -> Change:
    """Plan to take an environment away; it is kept out of sight for undo."""
    check_changeable(environment)
    name = environment.name
    count = len(environment.contents.distributions)
    replaced = environment.contents.replaced
    links = [replaced] if os.path.islink(replaced) and os.readlink(replaced) == environment.prefix else []
    plan = Plan(
        aim=f"Drop the environment {name}",
        lines=(
            plan_line(LineKind.REMOVE, About.ENVIRONMENT, name=name, prefix=environment.prefix, distributions=count),
            *(plan_line(LineKind.REMOVE, About.LINK_TO_IT, link=one) for one in links),
            plan_line(LineKind.NOTE, About.UNDO_RESTORES),
        ),
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        return (
            *(FlipLink(link=one, before=environment.prefix, after="") for one in links),
            *_drop_steps(name, staging, locations),
        )

    return change_of(plan, prepare=prepare)


def _drop_steps(name: str, staging: Place, locations: Locations) -> tuple[Step, ...]:
    edition = edition_number(link_place(locations.data, name))
    return (
        FlipLink(link=link_place(locations.data, name), before=link_target(name, edition), after=""),
        RetireTree(
            target=edition_place(locations.data, name, edition),
            retired=join(locations.data, "retired", os.path.basename(staging)),
        ),
    )


def plan_drop_unreadable(name: str, why: str, locations: Locations) -> Change:
    """Plan to take away an environment of which it cannot be read what it holds."""
    if is_protected(name, locations):
        raise Refused(f"the environment {name} is protected, and {why}", next_step=ush("undo"))
    adopted = adopted_places(locations).get(name)
    plan = Plan(
        aim=f"Drop the environment {name}" if adopted is None else f"Unregister the environment {name}",
        lines=(
            plan_line(
                LineKind.REMOVE, About.ENVIRONMENT, name=name, prefix=adopted or link_place(locations.data, name)
            ),
            plan_line(LineKind.WARNING, About.UNREADABLE, reason=why),
        ),
    )
    if adopted is None:
        return change_of(plan, prepare=lambda staging: _drop_steps(name, staging, locations))
    before = to_json_text(to_record_text(adopted))
    forget = DropRecord(path=records_file(locations), keys=(ADOPTED, name), before=before)
    return change_of(plan, prepare=lambda _staging: (forget,))


def ways_in(name: str, prefix: Place, locations: Locations) -> tuple[Afterward, ...]:
    """Return how a new environment is used."""
    return (
        Labelled(label="Enter it", step=ush("environment", "enter", name)),
        Labelled(label="or in a script", step=Command(words=(".", join(prefix, "enter.sh")))),
        Labelled(
            label="Install packages", step=ush("package", "get", "REQUIREMENT", "-e", name, *locations.scope_words)
        ),
    )
