"""The core as a library: one account on this machine, looked at, changed and verified without the command line."""

from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.catalogs.address_changes import plan_address_add
from unified_shell.core.changes.executor import Executor
from unified_shell.core.changes.journal import Journal
from unified_shell.core.changes.plan import Change, Outcome
from unified_shell.core.environments.lifecycle import plan_new
from unified_shell.core.environments.model.registry import Environment, all_environments, find_environment
from unified_shell.core.environments.packages.getting import PackageRequest, plan_get
from unified_shell.core.environments.packages.requests import parse_request
from unified_shell.core.findings import Finding
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.network import read_network
from unified_shell.core.indexes.registered import INDEXES
from unified_shell.core.interpreters.adopting import choose_interpreter
from unified_shell.core.machine.host import Host, read_host
from unified_shell.core.machine.locations import Locations, locations_of
from unified_shell.core.machine.places import join
from unified_shell.core.shells.planning.search_paths import PathRequest, plan_path_add
from unified_shell.core.shells.sessions.name_lookup import NameQuestion
from unified_shell.core.shells.startup.own_shells import chosen_shells, own_shells
from unified_shell.core.transfers.fetching import Fetcher
from unified_shell.core.verification.modules.module_states import ModuleReport, look_for_module
from unified_shell.core.verification.names.looking import NameLook, look_at_name
from unified_shell.core.verification.targets.everything import everything
from unified_shell.core.verification.targets.naming import targets_named
from unified_shell.core.verification.verifying import surroundings, verify

__all__ = ["Site", "this_site"]


class Site(Struct, frozen=True, kw_only=True):
    """One account on one machine: the host's facts, and where things are kept for it.

    The methods that plan change nothing but caches; `perform` carries a plan through, journaled and undoable as the
    command line's are. All raise the errors of `unified_shell.core.errors`.
    """

    host: Host
    locations: Locations

    def look(self, name: str) -> NameLook:
        """Look for a command: every candidate, its state here and in new sessions, which are opened for that."""
        with NameQuestion(name, own_shells(self.host), self.host) as question:
            return look_at_name(name, self.host, self.locations, question)

    def look_for_module(self, name: str) -> ModuleReport:
        """Ask every interpreter and environment for a module."""
        return look_for_module(name, self.host, self.locations)

    def environments(self) -> tuple[Environment, ...]:
        """Return the account's environments, and everyone's."""
        return all_environments(self.host, self.locations)

    def plan_index_add(self, name: str, address: str) -> Change:
        """Plan to take packages from a Simple Repository API or a folder of wheels."""
        return plan_address_add(INDEXES, name, address, self.host, self.locations, ask=self._indexes().answers)

    def plan_environment_new(self, name: str, interpreter: str = "") -> Change:
        """Plan an empty environment, on an interpreter by its path, name or version, else the session's."""
        facts = choose_interpreter(interpreter, self.host, self.locations)
        return plan_new(name, facts, self.host, self.locations)

    def plan_package_get(self, requirements: Sequence[str], environment: str) -> Change:
        """Plan to have packages, with all they need, in an environment."""
        request = PackageRequest(requests=tuple(map(parse_request, requirements)))
        found = find_environment(environment, self.host, self.locations)
        return plan_get(request, found, self._indexes(), self.host, self.locations)

    def plan_path_add(self, directory: str) -> Change:
        """Plan to put a directory at the front of PATH in new sessions."""
        request = PathRequest(directory=directory)
        return plan_path_add(request, chosen_shells(self.host), self.host, self.locations)

    def perform(self, change: Change, *, words: str = "", strict: bool = False) -> Outcome:
        """Carry a change through and return its number and findings; `words` is what the journal calls it.

        Raises PlanMoved where the machine is no longer what the plan was made from: plan again then.
        """
        journal = Journal(join(self.locations.data, "journal.sqlite"))
        return Executor(locations=self.locations, journal=journal).perform(change, words=words, strict=strict)

    def verify(self, *names: str) -> tuple[Finding, ...]:
        """Verify anything by its name, as `ush verify` does; without a name, all that is managed. Opens new sessions, which
        run the account's startup files.
        """
        named = targets_named(names, self.host, self.locations) if names else everything(self.host, self.locations)
        around = surroundings(named, self.host, self.locations)
        return tuple(finding for one in verify(named, around) for finding in one.findings)

    def _indexes(self) -> IndexClient:
        fetcher = Fetcher(self.host, settings=read_network(self.locations))
        return IndexClient(INDEXES.read_all(self.host, self.locations), fetcher, self.locations.cache)


def this_site() -> Site:
    """Return the site of the account and session that we run in."""
    host = read_host()
    return Site(host=host, locations=locations_of(host))
