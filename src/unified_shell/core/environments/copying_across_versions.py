"""A copy on another interpreter, solved anew for it: what was requested is kept, with bounds and wiring; and renaming."""

import uuid
from collections.abc import Callable

from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, change_of, plan_line
from unified_shell.core.changes.steps import FlipLink, Step
from unified_shell.core.environments.model.base_interpreter import base_of, check_base, check_base_for
from unified_shell.core.environments.model.contents import NOWHERE
from unified_shell.core.environments.model.layout import link_place
from unified_shell.core.environments.model.registry import Environment, check_changeable, check_name
from unified_shell.core.environments.packages.getting import PackageRequest, plan_get
from unified_shell.core.environments.packages.refetching import refetching
from unified_shell.core.environments.trees.editions import unrecorded_files
from unified_shell.core.environments.trees.installer_names import installer_commands
from unified_shell.core.environments.trees.next_edition import proof_of_start
from unified_shell.core.errors import Refused
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.managed import trees_it_is_in
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import ush

from .copying import copied, copied_contents, find_source
from .lifecycle import plan_drop, ways_in

__all__ = ["anew_on", "plan_copy_anew", "plan_rename"]


def anew_on(source: Environment, name: str, facts: InterpreterFacts, locations: Locations) -> Environment:
    """Return what the copy of an environment is before its packages come: of its name, on its interpreter, empty."""
    contents = replace(
        source.contents,
        name=name,
        identity=str(uuid.uuid4()),
        interpreter=facts.real_executable,
        python=facts.full_version,
        made_seconds=now_seconds(),
        distributions=(),
        installers=installer_commands(facts.site_folders),
        lock="",
        lock_extras=(),
        lock_groups=(),
        replaced=NOWHERE,
    )
    return Environment(
        name=name, prefix=link_place(locations.data, name), edition=0, contents=contents, scope=locations.scope
    )


def plan_copy_anew(
    source: Environment,
    made: Environment,
    facts: InterpreterFacts,
    client: IndexClient,
    *,
    host: Host,
    locations: Locations,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to make `made`, as `anew_on` has it, with what was requested in another environment, solved for `facts`."""
    check_name(made.name, locations)
    check_base(facts)
    check_base_for(facts, locations)
    requests = tuple(Requirement(text) for one in source.contents.requested for text in one.requested)
    got = plan_get(PackageRequest(requests=requests), made, client, host, locations, progress=progress)
    behind = unrecorded_files(source.layout)
    plan = replace(
        got.plan,
        aim=f"Copy what was requested in {source.name} into the environment {made.name} ({facts.title}; was {source.title})",
        lines=(
            plan_line(LineKind.ADD, About.ENVIRONMENT, name=made.name, prefix=made.prefix),
            *got.plan.lines,
            *([plan_line(LineKind.NOTE, About.UNOWNED_LEFT, files=tuple(behind))] if behind else []),
        ),
        nothing_to_do="",
        relies_on=trees_it_is_in(facts.real_executable, locations),
        afterwards=ways_in(made.name, made.prefix, locations),
    )
    return replace(got, plan=plan)


def plan_rename(environment: Environment, name: str, client: IndexClient, host: Host, locations: Locations) -> Change:
    """Plan to give an environment another name: made anew in its new place with all that it holds, the old one put away.

    Raises Refused for one that is protected, or that something else made.
    """
    if environment.foreign:
        raise Refused(
            f"{environment.name} is registered in place: only its entry has that name",
            next_step=(
                ush("environment", "drop", environment.name),
                "then",
                ush("environment", "adopt", environment.prefix, "--name", name),
            ),
        )
    check_changeable(environment)
    check_name(name, locations)
    if not environment.contents.is_python:
        raise Refused(
            f"{environment.name} is an environment of {environment.title}: its modules are not ush's to make anew, so it"
            " keeps its name",
            next_step=ush("environment", "new", name, "--language", environment.contents.language),
        )
    facts = base_of(environment, host)
    source = find_source(environment.name, host, locations)
    contents = replace(
        copied_contents(source, name, facts, own_files=environment.contents.own_files),
        identity=environment.contents.identity,
        replaced=environment.contents.replaced,
    )
    prefix = link_place(locations.data, name)
    fetch = refetching(client, locations)
    made = copied(source, contents, facts, host, locations, fetch=fetch, progress=lambda _phase: None)
    # The folder that it took the place of leads to it under its new name; it is not dropped with the old one.
    bare = replace(environment, contents=replace(environment.contents, replaced=NOWHERE))
    dropped = plan_drop(bare, locations)
    replaced = environment.contents.replaced
    links = (FlipLink(link=replaced, before=environment.prefix, after=prefix),) if replaced else ()

    def prepare(staging: Place) -> tuple[Step, ...]:
        return (*made(staging), *links)

    plan = replace(
        dropped.plan,
        aim=f"Rename the environment {environment.name} to {name}",
        lines=(
            plan_line(LineKind.CHANGE, About.ENVIRONMENT_RENAMED, name=environment.name, new=name, prefix=prefix),
            plan_line(LineKind.NOTE, About.ENTER_AGAIN),
        ),
        afterwards=ways_in(name, prefix, locations),
    )
    first = change_of(plan, prepare=prepare, verify=lambda: (proof_of_start(prefix, facts, host),))
    whole = merged(first, dropped)
    return replace(whole, plan=plan)
