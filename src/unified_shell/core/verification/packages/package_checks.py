"""What came with a change of packages: checked at its end, and told."""

from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from unified_shell.core.changes.plan import Change, Prepared
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment, find_environment, hidden_environment
from unified_shell.core.environments.trees.next_edition import proof_of_start
from unified_shell.core.findings import Finding
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import Afterward, Labelled, ush

from .environment_checks import check_distributions
from .installed_metadata import Installed, read_installed

__all__ = ["PackageChecks", "told_of_command", "with_whole_environment"]


class PackageChecks(Struct):
    """Looks at an environment, once, after its packages were changed; `before` is what it was."""

    before: Environment
    host: Host
    locations: Locations
    _new: Sequence[NormalizedName] = ()
    _asked: frozenset[NormalizedName] = frozenset()
    _installed: Mapping[NormalizedName, Installed] = field(default_factory=dict)

    def checked(self, change: Change) -> Change:
        """Return the change with its verification: the interpreter starts, and what is new imports and launches."""
        return change.verified_by(self._verify)

    def lines(self) -> tuple[Afterward, ...]:
        """Return lines that tell which commands appeared, and by which other name what was asked for is imported."""
        there = [(name, self._installed[name]) for name in self._new if name in self._installed]
        commands = list(dict.fromkeys(name for _, one in there for name in one.command_names))
        lines: list[Afterward] = [Labelled(label="New commands", step=", ".join(commands))] if commands else []
        # What came along is nothing that the person wants to start.
        asked = [name for project, one in there if project in self._asked for name in one.command_names]
        if asked:
            start = ush("environment", "run", self.before.name, "--", asked[0], "--help")
            lines.append(Labelled(label="Start one", step=start))
        for name, one in there:
            if name in self._asked and one.imports and canonicalize_name(one.imports[0]) != name:
                lines.append(Labelled(label=f"Import {name} as", step=f"import {one.imports[0]}"))
        return tuple(lines)

    def _verify(self) -> tuple[Finding, ...]:
        facts = base_of(self.before, self.host)
        start = proof_of_start(self.before.prefix, facts, self.host)
        if not start.passed:
            return (start,)
        after = find_environment(self.before.name, self.host, self.locations)
        changed = {one.name for one in set(after.contents.distributions) - set(self.before.contents.distributions)}
        self._installed = read_installed(after)
        had = {one.name for one in self.before.contents.distributions}
        self._new = sorted(one.name for one in after.contents.distributions if one.name not in had)
        self._asked = frozenset(one.name for one in after.contents.requested)
        return (start, *check_distributions(after, facts, self.host, only=changed, installed=self._installed))


def with_whole_environment(change: Change, name: str, host: Host, locations: Locations) -> Change:
    """Return the change of a command that is followed, beside its own verification, by a look at all that is in the hidden
    environment of that name.
    """

    def prepare(staging: Place) -> Prepared:
        prepared = change.prepare(staging)

        def verify() -> tuple[Finding, ...]:
            found = prepared.verify()
            # What is put back is not looked at.
            if any(one.is_fault and one.puts_back for one in found):
                return found
            environment = hidden_environment(name, locations)
            there = check_distributions(environment, base_of(environment, host), host)
            return (*found, *told_of_command(there, name.removeprefix("."), environment))

        return Prepared(steps=prepared.steps, verify=verify)

    return change if change.plan.nothing_to_do else Change(plan=change.plan, prepare=prepare)


def told_of_command(found: Iterable[Finding], command: str, environment: Environment) -> Iterator[Finding]:
    """Return what was found in the environment of a command, with what a person types: that has no name for them."""
    mend = ush("verify", f"command:{command}", "--mend", *environment.scope_words)
    refresh = ush("command", "refresh", command, *environment.scope_words)
    for one in found:
        yield replace(one, remedy=mend if one.mend else refresh) if one.is_fault else one
