"""All that is managed here: what `ush verify` looks at where nothing is named."""

import os

from unified_shell.core.commands.preferred import all_choices
from unified_shell.core.environments.model.registry import all_environments, unreadable_environments
from unified_shell.core.environments.offers import all_offered_files
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.managed import all_managed
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, everyone_locations, scratch_root
from unified_shell.core.shells.startup.own_shells import wired_modes
from unified_shell.core.shells.wiring.wiring import read_wiring
from unified_shell.core.suites.managed_suites import all_suites

from .target import Kind, Target

__all__ = ["everything"]


def everything(host: Host, locations: Locations) -> tuple[Target, ...]:
    """Return what is wired, preferred, got, adopted, made and offered, mine and everyone's."""
    everyone = everyone_locations(host)
    scopes = [locations, *([everyone] if everyone.data != locations.data else [])]
    # New sessions read no system-wide file below a scratch root.
    wirings = [read_wiring(one) for one in scopes if one is locations or not scratch_root(host)]
    found: list[Target] = []
    if any(not one.is_empty for one in wirings) or wired_modes(host):
        found.append(Target(kind=Kind.SESSIONS, name=""))
    for wiring in wirings:
        found += [Target(kind=Kind.DIRECTORY, name=one.directory, variable=one.variable) for one in wiring.entries]
        found += [Target(kind=Kind.VARIABLE, name=one.name) for one in wiring.variables]
        found += [Target(kind=Kind.SCRIPT, name=one.file) for one in wiring.scripts]
    found += [Target(kind=Kind.COMMAND, name=one.name) for one in all_choices(host, locations)]
    names = [one.name for one in all_managed(host, locations)] + [one.name for one in read_adopted(locations)]
    found += [Target(kind=Kind.INTERPRETER, name=one) for one in names]
    found += [Target(kind=Kind.SUITE, name=one.name) for one in all_suites(host, locations)]
    environments = [one.name for one in all_environments(host, locations)]
    environments += [name for one in scopes for name in unreadable_environments(one)]
    found += [Target(kind=Kind.ENVIRONMENT, name=one) for one in environments]
    found += [Target(kind=Kind.OFFER, name=os.fspath(one)) for one in all_offered_files(host)]
    return tuple(dict.fromkeys(found))
