"""A command-line program from a distribution: in a hidden environment of its own, its commands on the path."""

import os

from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, Prepared, change_of, plan_line
from unified_shell.core.commands.preferred import Choice, read_choices
from unified_shell.core.commands.preferring import link_steps, on_path, plan_drop_choice, record_step
from unified_shell.core.distributions.entry_points import parse_entry_points
from unified_shell.core.distributions.metadata import parse_metadata
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.environments.model.base_interpreter import EnvironmentToBe, check_base_for
from unified_shell.core.environments.model.layout import Layout, link_place
from unified_shell.core.environments.model.registry import Environment, hidden_environment
from unified_shell.core.environments.packages.getting import PackageRequest, plan_get
from unified_shell.core.environments.packages.lock_files import LockRequest, plan_lock
from unified_shell.core.environments.trees.next_edition import new_contents
from unified_shell.core.errors import CouldNot, Refused, nearest
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.managed import trees_it_is_in
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import Command, Labelled, ush

from .lifecycle import plan_drop

__all__ = ["hidden_name", "plan_drop_command", "plan_get_command", "plan_refresh_command"]


def hidden_name(command: str) -> str:
    """Return the name of a command's own environment; names that begin with a dot are not a person's."""
    return f".{command}"


def plan_get_command(
    name: str,
    request: Requirement,
    facts: InterpreterFacts,
    client: IndexClient,
    *,
    host: Host,
    locations: Locations,
    wire: bool = True,
    lock: str = "",
) -> Change:
    """Plan to have the command `name`, which the requested distribution brings, and with `wire` its folder on PATH; where there
    is a `lock`, exactly what that holds.
    """
    check_base_for(facts, locations)
    known = {one.name: one for one in read_choices(locations)}
    taken = next((one.name for one in known.values() if name in one.names), "")
    if taken:
        raise Refused(
            f"{name} is already installed, with {taken}",
            next_step=ush("command", "refresh", taken, *locations.scope_words),
        )
    prefix = link_place(locations.data, hidden_name(name))
    contents = new_contents(hidden_name(name), facts)
    empty = EnvironmentToBe(name=hidden_name(name), prefix=prefix, edition=0, contents=contents, base=facts)
    got = _got(PackageRequest(requests=(request,)), empty, client, host, locations, lock=lock)
    change = _with_links(got, name, request, empty, before=None, locations=locations)
    plan = replace(
        change.plan,
        aim=f"Install the command {name} from {request}, in its own environment ({facts.title})",
        lines=(
            *(line for line in got.plan.lines if line.kind is not LineKind.KEEP),
            plan_line(LineKind.ADD, About.COMMAND, name=name, others=True),
        ),
        relies_on=trees_it_is_in(facts.real_executable, locations),
        afterwards=(Labelled(label="Start it", step=Command(words=(name, "--help"), why="in a new session")),),
    )
    change = replace(change, plan=plan)
    return merged(change, on_path((name,), host, locations)) if wire else change


def plan_refresh_command(
    choice: Choice,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    request: Requirement | None = None,
    lock: str = "",
) -> Change:
    """Plan to have the newest of what a command came from, or what is requested in its place; "already the newest" is an answer.

    Where there is a `lock`, exactly what that holds.
    """
    environment = hidden_environment(choice.environment, locations)
    newest = request is None
    request = request or Requirement(choice.distribution)
    asked = PackageRequest(requests=(request,), newest=newest)
    got = _got(asked, environment, client, host, locations, lock=lock)
    if got.plan.nothing_to_do:
        said = f"{choice.name} is already the newest"
        return change_of(Plan(aim=said, nothing_to_do=said))
    change = _with_links(got, choice.name, request, environment, before=choice, locations=locations)
    return replace(change, plan=replace(got.plan, aim=f"Refresh the command {choice.name}"))


def _got(
    asked: PackageRequest,
    environment: Environment,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    lock: str,
) -> Change:
    if not lock:
        return plan_get(asked, environment, client, host, locations)
    said = tuple((canonicalize_name(one.name), str(one)) for one in asked.requests)
    request = LockRequest(path=lock, rules=asked.rules, said=said)
    return plan_lock(request, environment, client, host, locations)


def plan_drop_command(choice: Choice, host: Host, locations: Locations) -> Change:
    """Plan to take a command away, and the environment that it came in."""
    links = plan_drop_choice(choice, host, locations)
    if not choice.environment:
        return links
    return merged(links, plan_drop(hidden_environment(choice.environment, locations), locations))


def _with_links(
    got: Change,
    name: str,
    request: Requirement,
    environment: Environment,
    *,
    before: Choice | None,
    locations: Locations,
) -> Change:
    """Return the change of packages with links to the commands that are found in what was prepared."""
    taken = {one for each in read_choices(locations) if each.name != name for one in each.names}

    def prepare(staging: Place) -> Prepared:
        prepared = got.prepare(staging)
        brought = _commands(join(staging, "tree"), environment.short_version, request.name)
        if name not in brought:
            offers = f"it provides: {', '.join(brought)}" if brought else "it provides no command"
            raise CouldNot(
                f"{request.name} does not provide the command {name}; {offers}; nothing was changed",
                next_step=ush(
                    "command",
                    "get",
                    nearest(name, brought, likeness=0) or brought[0],
                    "--from",
                    str(request),
                    *locations.scope_words,
                )
                if brought
                else ush("look", name),
            )
        names = (name, *(one for one in brought if one != name and one not in taken))
        choice = Choice(
            name=name,
            candidate=join(environment.layout.scripts, name),
            names=names,
            distribution=str(request),
            environment=environment.name,
        )
        record = () if choice == before else (record_step(choice, before, locations),)
        return replace(prepared, steps=(*prepared.steps, *link_steps(choice, locations), *record))

    return Change(plan=got.plan, prepare=prepare)


def _commands(tree: str, short_version: str, project: str) -> tuple[str, ...]:
    """Return the commands of a distribution in a prepared tree."""
    site = Layout(prefix=Place(tree), short_version=short_version).site_packages
    for folder in os.listdir(site):
        metadata = read_file(join(site, folder, "METADATA")) if folder.endswith(".dist-info") else None
        if metadata is None or parse_metadata(metadata[0], folder).name != canonicalize_name(project):
            continue
        entries = read_file(join(site, folder, "entry_points.txt"))
        found = [one.name for one in parse_entry_points(entries[0], folder)] if entries else []
        return tuple(sorted({*found, *_scripts(join(site, folder))}))
    return ()


def _scripts(info: str) -> list[str]:
    record = read_file(join(info, "RECORD"))
    rows = record[0].decode("utf-8", "replace").splitlines() if record else []
    paths = [row.split(",")[0] for row in rows if "/bin/" in row.split(",")[0]]
    return [os.path.basename(path) for path in paths]
