"""What holds only while an environment is entered: its own search-path entries and variables."""

import os

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.packages.renewal import Renewer
from unified_shell.core.environments.trees.next_edition import proof_of_start
from unified_shell.core.errors import UnknownName, UsageError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import Labelled, ush
from unified_shell.core.shells.dialects.dialect import SetVariable
from unified_shell.core.shells.planning.search_paths import PathRequest, checked_directory, wished
from unified_shell.core.shells.planning.variables import check_variable, one_line, with_variable, without_variable
from unified_shell.core.shells.wiring.wiring import Wiring

__all__ = ["OwnWiring"]


class OwnWiring(Struct, frozen=True, kw_only=True):
    """Plans changes of one environment's own wiring; each makes its next edition."""

    environment: Environment
    client: IndexClient
    host: Host
    locations: Locations

    def plan_path_add(self, request: PathRequest) -> Change:
        """Plan to have a directory on a search path while the environment is entered."""
        if request.when:
            raise UsageError("an environment's own entries take no condition: they apply while it is entered")
        place = checked_directory(request.directory, self.host)
        name = shown(place, self.host.home)
        line = plan_line(
            LineKind.ADD, About.ENTRY, variable=request.variable, side=request.side.value, directory=place
        )
        aim = f"Put {name} on {request.variable} while {self.environment.name} is entered"
        return self._plan(aim, line, wished(self._before, place, request, self.host))

    def plan_path_drop(self, directory: str, variable: str) -> Change:
        """Plan to have it there no more; raises UsageError where it is not."""
        full = directory if os.path.isabs(directory) else join(self.host.working_directory, directory)
        place = Place(os.path.normpath(full))
        name = shown(place, self.host.home)
        if self._before.find(variable, place) is None:
            raise UsageError(
                f"{name} is not in the wiring of the environment {self.environment.name}",
                next_step=ush("path", "list", "-e", self.environment.name),
            )
        line = plan_line(LineKind.REMOVE, About.ENTRY, variable=variable, directory=place)
        aim = f"Remove {name} from the environment {self.environment.name}"
        return self._plan(aim, line, self._before.without_entry(variable, place))

    def plan_variable_add(self, name: str, value: str) -> Change:
        """Plan to have a variable while the environment is entered; leaving gives it its old value."""
        check_variable(name, value)
        line = plan_line(LineKind.ADD, About.VARIABLE, name=name, value=one_line(value))
        aim = f"Set {name} while {self.environment.name} is entered"
        return self._plan(aim, line, with_variable(self._before, SetVariable(name=name, value=value)))

    def plan_variable_drop(self, name: str) -> Change:
        """Plan to set it no more; raises UnknownName."""
        if self._before.variable(name) is None:
            raise UnknownName(
                f"variable of {self.environment.name}",
                name,
                [one.name for one in self._before.variables],
                next_step=ush("variable", "list", "-e", self.environment.name),
            )
        aim = f"Remove {name} from the environment {self.environment.name}"
        line = plan_line(LineKind.REMOVE, About.VARIABLE, name=name)
        return self._plan(aim, line, without_variable(self._before, name))

    def plan_wiring(self, aim: str, lines: tuple[PlanLine, ...], after: Wiring) -> Change:
        """Plan to have a whole wiring while the environment is entered; `lines` tell what is new in it."""
        return self._plan(aim, lines, after)

    @property
    def _before(self) -> Wiring:
        return self.environment.contents.wiring

    def _plan(self, aim: str, lines: PlanLine | tuple[PlanLine, ...], after: Wiring) -> Change:
        environment, name = self.environment, self.environment.name
        if after == self._before:
            plan = Plan(aim=aim, nothing_to_do=f"nothing to change in the environment {name}")
            return change_of(plan)
        facts = base_of(environment, self.host)
        renewal = Renewer(client=self.client, host=self.host, locations=self.locations).renewal(
            environment,
            environment.contents.distributions,
            facts,
            contents=replace(environment.contents, wiring=after),
        )
        plan = Plan(
            aim=aim,
            lines=(*(lines if isinstance(lines, tuple) else (lines,)), *renewal.lines),
            relies_on=(f"environment {name}",),
            afterwards=(
                Labelled(
                    label="It applies when the environment is entered next, and in",
                    step=ush("environment", "run", name, "--", "COMMAND"),
                ),
            ),
        )
        return change_of(
            plan, prepare=renewal.prepare, verify=lambda: (proof_of_start(environment.prefix, facts, self.host),)
        )
