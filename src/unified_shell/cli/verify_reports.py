"""The documents that `ush verify` writes beside what it prints."""

import os
from functools import cached_property
from typing import TYPE_CHECKING

import msgspec

from unified_shell import __version__
from unified_shell.core.environments.model.registry import every_environment
from unified_shell.core.errors import CouldNot, Refused, UsageError, os_error_text
from unified_shell.core.machine.files.durable import FileMode, read_file, replace_file
from unified_shell.core.machine.locations import everyone_locations
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.reports.comparing import Difference, difference
from unified_shell.core.verification.reports.contents import EnvironmentFacts, environment_facts
from unified_shell.core.verification.reports.report import Report, read_report, report_of
from unified_shell.core.verification.targets.target import Kind

from .context import Context
from .options.verify_options import VerifyOptions

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.suites.trials.evidence import TrialsOf
    from unified_shell.core.verification.verifying import Verified

__all__ = ["Reports"]

# How a file begins that may be written over: an earlier one of the same sort.
BEGINNINGS = {"html": b"<!doctype html>", "junit": b"<?xml", "bill": b"{"}


class Reports:
    """What was found, as documents; the earlier report is read, and names are checked, before anything is written."""

    def __init__(self, context: Context, found: "Sequence[Verified]", options: VerifyOptions) -> None:
        self._context, self._found, self._options = context, found, options
        host = context.host
        self._report: Report = report_of(found, host)
        earlier = read_report(options.against, host.working_directory) if options.against else None
        self._since: Difference | None = difference(earlier, self._report) if earlier is not None else None

    def json(self) -> str:
        """Return the report as JSON; with what changed, where an earlier one was named."""
        from unified_shell.views.json_view import json_text

        fields = msgspec.structs.asdict(self._report)
        return json_text("verification", fields if self._since is None else {**fields, "since": self._since})

    def print_difference(self) -> None:
        """Write what changed to the screen."""
        if self._since is not None:
            from unified_shell.views.reports.difference_view import print_difference

            print_difference(self._context.screen, self._since)

    def write(self) -> None:
        """Write the documents that were asked for."""
        home, options = self._context.host.home, self._options
        if options.html:
            from unified_shell.views.reports.report_page import page_text

            text = page_text(
                self._report,
                self._environments,
                home=home,
                version=__version__,
                since=self._since,
                trials=self._trials,
            )
            self._write(options.html, text, "html")
        if options.junit:
            from unified_shell.views.reports.junit_view import junit_text

            self._write(options.junit, junit_text(self._report, home), "junit")
        if options.bill:
            import json

            from unified_shell.core.verification.reports.bills import bill_of

            if not self._environments:
                raise UsageError(
                    "a bill of materials is of environments, and none was verified",
                    next_step=ush("verify", "--bill", options.bill, why="of all environments"),
                )
            bill = bill_of(options.bill, self._environments, made=self._report.made, version=__version__)
            self._write(options.bill, f"{json.dumps(bill, indent=2)}\n", "bill")

    @cached_property
    def _environments(self) -> tuple[EnvironmentFacts, ...]:
        context = self._context
        scopes = {context.locations.data: context.locations}
        everyone = everyone_locations(context.host)
        scopes.setdefault(everyone.data, everyone)
        findings = {one.target.name: one.findings for one in self._found if one.target.kind is Kind.ENVIRONMENT}
        return tuple(
            environment_facts(one, context.host, findings[one.name])
            for locations in scopes.values()
            for one in every_environment(locations)
            if one.name in findings and one.contents.is_python
        )

    @cached_property
    def _trials(self) -> "list[TrialsOf]":
        """What is kept of the trials of the suites that were verified."""
        from unified_shell.core.suites.managed_suites import all_suites
        from unified_shell.core.suites.trials.evidence import trials_of

        host, locations = self._context.host, self._context.locations
        names = {one.target.name for one in self._found if one.target.kind is Kind.SUITE}
        return [
            trials_of(one, locations)
            for one in all_suites(host, locations)
            if names & {one.name, one.description.name}
        ]

    def _write(self, file: str, text: str, sort: str) -> None:
        place = join(self._context.host.working_directory, file)
        try:
            there = read_file(place)
            if there is not None and there[0] and not there[0].startswith(BEGINNINGS[sort]):
                raise Refused(
                    f"{file} is there already, and is not such a document; it was not written over",
                    next_step="choose another name",
                )
            if not os.path.isdir(os.path.dirname(place)):
                raise CouldNot(f"the folder of {file} does not exist", next_step="choose another name")
            replace_file(place, text.encode("utf-8"), FileMode(), beside=f"{place}.part")
        except OSError as error:
            raise CouldNot(
                f"{file} cannot be written: {os_error_text(error)}", next_step="choose another name"
            ) from error
        self._context.screen.say(f"Wrote {file}")
