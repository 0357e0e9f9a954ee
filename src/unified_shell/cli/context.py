"""What every command works with: the host's facts, the locations, the executor, the screen."""

from functools import cached_property
from typing import TYPE_CHECKING

import click
from msgspec import Struct, field

from unified_shell.core.machine.host import Host, read_host
from unified_shell.core.machine.locations import Locations, everyone_locations, locations_of
from unified_shell.core.machine.places import join
from unified_shell.views.terminal.screen import Screen

if TYPE_CHECKING:
    from unified_shell.core.changes.executor import Executor
    from unified_shell.core.distributions.names import NormalizedName
    from unified_shell.core.environments.model.registry import Environment
    from unified_shell.core.environments.own_wiring import OwnWiring
    from unified_shell.core.indexes.client import IndexClient
    from unified_shell.core.transfers.fetching import Fetcher
    from unified_shell.views.progress_view import ProgressView

__all__ = ["Context", "pass_context"]


class Context(Struct, dict=True):
    """Made once for each call. `done` are the numbers of the changes that it made and that stand."""

    trace: bool = False
    offline: bool = False
    passed_over: tuple[str, ...] = ()
    ties: "dict[NormalizedName, str]" = field(default_factory=dict)
    quiet: bool = False
    plain: bool = False
    done: list[int] = field(default_factory=list)

    @cached_property
    def host(self) -> Host:
        """The host's facts."""
        return read_host()

    @cached_property
    def locations(self) -> Locations:
        """Where things are kept for the person."""
        return locations_of(self.host)

    def locations_for(self, scope: str) -> Locations:
        """Return where things are kept for `me` or `everyone`."""
        return everyone_locations(self.host) if scope == "everyone" else self.locations

    @cached_property
    def screen(self) -> Screen:
        """Where things are shown."""
        return Screen(
            no_color=bool(self.host.variable("NO_COLOR")),
            home=self.host.home,
            plain=self.plain or bool(self.host.variable("USH_PLAIN")),
            is_dumb=self.host.variable("TERM") == "dumb",
        )

    @cached_property
    def executor(self) -> "Executor":
        """The executor of the person's changes."""
        return self.executor_for("me")

    def executor_for(self, scope: str) -> "Executor":
        """Return the executor of changes for `me` or `everyone`."""
        from unified_shell.core.changes.executor import Executor
        from unified_shell.core.changes.journal import Journal

        return Executor(
            locations=self.locations_for(scope),
            journal=Journal(join(self.locations_for(scope).data, "journal.sqlite")),
            on_wait=lambda holder: self.screen.say(f"waiting for: {holder}"),
            on_done=self.done.append,
        )

    def environment_meant(self, name: str) -> "Environment":
        """Return the environment of that name, or the one that is meant without; which one that is, is said."""
        from unified_shell.core.environments.model.meant import MeantBy, meant_environment

        meant = meant_environment(name, self.host, self.locations)
        if meant.by in (MeantBy.ONLY_ONE, MeantBy.OUTFIT):
            why = "the only one there is" if meant.by is MeantBy.ONLY_ONE else "named in outfit.toml"
            self.screen.say(f"In the environment {meant.environment.name}, {why}:")
        return meant.environment

    def own_wiring(self, name: str) -> "OwnWiring":
        """Return what plans changes of an environment's own wiring, as the environment is now."""
        from unified_shell.core.environments.model.registry import find_environment
        from unified_shell.core.environments.own_wiring import OwnWiring

        found = find_environment(name, self.host, self.locations)
        return OwnWiring(environment=found, client=self.indexes, host=self.host, locations=self.locations)

    @cached_property
    def progress(self) -> "ProgressView":
        """What shows how far a long change is."""
        from unified_shell.views.progress_view import ProgressView

        return ProgressView(self.screen, quiet=self.quiet)

    def tell_progress(self, phase: str) -> None:
        """Show how far a long change is."""
        self.progress.phase(phase)

    @cached_property
    def fetcher(self) -> "Fetcher":
        """What fetches from servers and files."""
        from unified_shell.core.indexes.network import read_network
        from unified_shell.core.transfers.fetching import Fetcher

        made = Fetcher(self.host, offline=self.offline, settings=read_network(self.locations))
        made.on_bytes = self.progress.bytes_here
        return made

    @cached_property
    def indexes(self) -> "IndexClient":
        """The indexes that were named."""
        return self.indexes_for("me")

    def indexes_for(self, scope: str) -> "IndexClient":
        """Return the indexes that are asked for a scope: for everyone, everyone's alone where there are any.

        What is read for everyone is kept where nobody else could have written it.
        """
        from unified_shell.core.indexes.client import IndexClient
        from unified_shell.core.indexes.index_pins import read_pins
        from unified_shell.core.indexes.registered import INDEXES

        ties = {**read_pins(self.locations), **self.ties}
        locations = self.locations_for(scope)
        named = INDEXES.read(locations) or INDEXES.read_all(self.host, self.locations)
        if scope == "me":
            named = INDEXES.read_all(self.host, locations)
        client = IndexClient(named, self.fetcher, locations.cache, ties)
        client.passed_over = frozenset(self.passed_over)
        return client


pass_context = click.make_pass_decorator(Context, ensure=True)
