"""Making an environment with the installer in it that its interpreter has."""

from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.changes.plan import Change
from unified_shell.core.environments.model.layout import link_place
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.packages.getting import PackageRequest, plan_get
from unified_shell.core.environments.trees.installer_names import installer_projects
from unified_shell.core.environments.trees.next_edition import new_contents, proof_of_start
from unified_shell.core.errors import CouldNot
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import ush

from .lifecycle import plan_new

__all__ = ["plan_new_filled"]


def plan_new_filled(
    name: str,
    facts: InterpreterFacts,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    own_files: bool = False,
) -> Change:
    """Plan to make an environment that has, from the indexes, what put packages into its interpreter.

    Raises CouldNot where nothing there says what did.
    """
    projects = installer_projects(facts.site_folders)
    if not projects:
        raise CouldNot(
            f"{facts.real_executable} has no installer for packages",
            next_step=(ush("environment", "new", name), "then", ush("package", "get", "REQUIREMENT", "-e", name)),
        )
    empty = plan_new(name, facts, host, locations, own_files=own_files)
    prefix = link_place(locations.data, name)
    contents = new_contents(name, facts, own_files=own_files)
    environment = Environment(name=name, prefix=Place(prefix), edition=0, contents=contents)
    got = plan_get(PackageRequest(requests=tuple(map(Requirement, projects))), environment, client, host, locations)
    plan = replace(
        empty.plan,
        lines=(*empty.plan.lines, *got.plan.lines),
        download_bytes=got.plan.download_bytes,
        disk_bytes=got.plan.disk_bytes,
    )
    return replace(got, plan=plan).verified_by(lambda: (proof_of_start(environment.prefix, facts, host),))
