"""The plan for beginning an outfit from a starter."""

from collections.abc import Sequence

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.errors import Refused, UsageError
from unified_shell.core.indexes.registered import INDEXES
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.next_steps import Afterward, Labelled, ush

from .locks.plans import text_step
from .outfit_reading import is_outfit_name
from .starters import read_starter

__all__ = ["plan_new_outfit"]


def plan_new_outfit(
    starter: str, place: Place, host: Host, locations: Locations, *, called: str = "", packages: Sequence[str] = ()
) -> Change:
    """Plan to write a starter, `called` otherwise and with more packages, to a file.

    Raises UnknownName, UsageError for what is not a requirement or a name, and Refused where another outfit is there.
    """
    if called and not is_outfit_name(called):
        raise UsageError(f"{called!r} cannot be an outfit's name", next_step="letters, digits, '-', '_' and '.'")
    text = read_starter(starter, called=called, packages=packages)
    there = read_file(place)
    if there is not None and there[0] != text.encode():
        raise Refused(
            f"{shown(place, host.home)} is there already, and is another outfit",
            next_step=ush("outfit", "new", starter, "--into", "FILE"),
        )
    step = text_step(place, text)
    after: list[Afterward] = []
    if not INDEXES.read_all(host, locations):
        address = ush("index", "add", "NAME", "ADDRESS")
        after.append(Labelled(label="First say where packages come from", step=address))
    after.append(Labelled(label="See what it lacks here", step=ush("outfit", "plan", place)))
    after.append(Labelled(label="Carry it out", step=ush("outfit", "equip", place)))
    lines = tuple(f"+ {line}" for line in text.splitlines())
    said = "" if step is not None else f"{shown(place, host.home)} is that starter already"
    plan = Plan(
        aim=f"Begin an outfit from the starter {starter}",
        lines=(plan_line(LineKind.EDIT, About.OUTFIT, file=place, diff=lines),),
        afterwards=tuple(after),
        nothing_to_do=said,
    )
    return change_of(plan, prepare=lambda _staging: (step,) if step is not None else ())
