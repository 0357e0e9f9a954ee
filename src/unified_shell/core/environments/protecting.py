"""Protecting environments from change, and registering one in place that something else made."""

import os

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.environments.model.adopted import ADOPTED, PROTECTED, is_protected, records_file
from unified_shell.core.environments.model.foreign import read_foreign
from unified_shell.core.environments.model.layout import is_of_ours
from unified_shell.core.environments.model.registry import Environment, check_changeable, check_name
from unified_shell.core.errors import Refused, UsageError
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, shown, to_json_text, to_record_text
from unified_shell.core.next_steps import Labelled, ush
from unified_shell.core.shells.planning.everyone import check_for_everyone, check_not_of_others

__all__ = ["plan_adopt", "plan_forget", "plan_protect"]


def plan_protect(environment: Environment, locations: Locations, *, protected: bool) -> Change:
    """Plan to protect an environment, or to say that it may be changed again."""
    name = environment.name
    if environment.everyones:
        check_changeable(environment)
    if environment.foreign:
        # To let one be changed is another matter: taking charge of it.
        raise Refused(
            f"{name} was not made by ush (it is at {environment.prefix}), and is always protected",
            next_step=(ush("environment", "copy", name, "NEW"), "or", ush("environment", "unprotect", name)),
        )
    aim = f"Protect the environment {name} from change" if protected else f"Allow changes to the environment {name}"
    nothing = (
        f"{name} {'is' if protected else 'is not'} protected" if is_protected(name, locations) is protected else ""
    )
    path, keys = records_file(locations), (PROTECTED, name)
    step = (
        PutRecord(path=path, keys=keys, before="", after=to_json_text(True))  # noqa: FBT003 - the value itself
        if protected
        else DropRecord(path=path, keys=keys, before=to_json_text(True))  # noqa: FBT003 - the value itself
    )
    line = plan_line(LineKind.NOTE, About.PROTECTED if protected else About.UNPROTECTED)
    plan = Plan(aim=aim, lines=(line,), nothing_to_do=nothing)
    return change_of(plan, prepare=lambda _staging: (step,))


def plan_adopt(folder: str, name: str, host: Host, locations: Locations) -> Change:
    """Plan to register an environment in place; nothing is written into it."""
    place = Place(os.path.normpath(join(host.working_directory, folder)))
    check_name(name, locations)
    if is_of_ours(place, locations.data):
        raise UsageError(f"{place} is already an environment of ush", next_step=ush("environment", "list"))
    contents = read_foreign(name, place)
    if locations.scope is Scope.EVERYONE:
        check_for_everyone(place)
        check_not_of_others(place, host)
    step = PutRecord(
        path=records_file(locations), keys=(ADOPTED, name), before="", after=to_json_text(to_record_text(place))
    )
    count = len(contents.distributions)
    plan = Plan(
        aim=f"Adopt {shown(place, host.home)} as the environment {name}",
        lines=(
            plan_line(
                LineKind.ADD, About.ENVIRONMENT_ADOPTED, name=name, python=contents.python, distributions=count
            ),
            plan_line(LineKind.NOTE, About.ADOPTED_STAYS),
        ),
        afterwards=(
            Labelled(label="Run something in it", step=ush("environment", "run", name, "--", "python")),
            Labelled(label="To change it, copy", step=ush("environment", "copy", name, "NEW")),
            Labelled(label="or allow changes", step=ush("environment", "unprotect", name)),
        ),
    )
    return change_of(plan, prepare=lambda _staging: (step,))


def plan_forget(environment: Environment, locations: Locations) -> Change:
    """Plan to forget an adopted environment; its folder stays."""
    name = environment.name
    step = DropRecord(
        path=records_file(locations),
        keys=(ADOPTED, name),
        before=to_json_text(to_record_text(environment.prefix)),
    )
    plan = Plan(
        aim=f"Unregister the environment {name}",
        lines=(plan_line(LineKind.REMOVE, About.ENVIRONMENT_UNREGISTERED, name=name, prefix=environment.prefix),),
    )
    return change_of(plan, prepare=lambda _staging: (step,))
