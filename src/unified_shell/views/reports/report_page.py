"""A verification as one page for a browser: nothing is fetched, light and dark, for print and for screen readers."""

from __future__ import annotations

import importlib.util
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING

from unified_shell.core.distributions.licences import spdx_expression
from unified_shell.core.errors import CouldNot
from unified_shell.core.findings import Verdict
from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.own_extras import extra_line
from unified_shell.views.next_step_text import next_step_text
from unified_shell.views.terminal.plain_text import plain_text
from unified_shell.views.trial_view import evidence_rows
from unified_shell.views.verify_view import count_text, faults_alike

from .difference_view import difference_lines
from .report_plots import environment_figures, table_figure

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from unified_shell.core.findings import Finding
    from unified_shell.core.suites.trials.evidence import TrialsOf
    from unified_shell.core.verification.reports.comparing import Difference
    from unified_shell.core.verification.reports.contents import DistributionFacts, EnvironmentFacts
    from unified_shell.core.verification.reports.report import Report, TargetReport

__all__ = ["check_can_make_pages", "page_text"]

STYLES = {Verdict.PASSED: "good", Verdict.FAULT: "fault", Verdict.NOT_TRIED: "left"}


def check_can_make_pages() -> None:
    """Raise CouldNot where the extra that makes pages is not installed."""
    if importlib.util.find_spec("jinja2") is None:
        raise CouldNot(
            "the page is made with the reports extra, which is not installed; nothing was verified",
            next_step=extra_line("reports"),
        )


def page_text(
    report: Report,
    environments: Sequence[EnvironmentFacts],
    *,
    home: str,
    version: str,
    since: Difference | None = None,
    trials: Sequence[TrialsOf] = (),
) -> str:
    """Return the page; raises CouldNot where the extra that makes pages is not installed."""
    check_can_make_pages()
    import jinja2
    from markupsafe import Markup

    folder = Path(__file__).with_name("templates")
    templates = jinja2.Environment(
        loader=jinja2.FileSystemLoader(folder), autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True
    )
    counts = {one.name.lower(): report.counts.get(one.value, 0) for one in Verdict}
    text = templates.get_template("report.html").render(
        title="What ush verify found",
        report=report,
        made=f"{report.made[:10]} {report.made[11:19]} UTC",
        counts=counts,
        summary=f"{count_text(report.findings)}.",
        faults=[
            {**_row(one, home), "target": _titled(target, one, also, home)}
            for target in report.targets
            for one, also in faults_alike([each for each in target.findings if each.is_fault])
        ],
        left=[_row(one, home) for one in report.findings if one.verdict is Verdict.NOT_TRIED],
        comparison={"since": f"{since.since[:10]} {since.since[11:16]} UTC", "lines": difference_lines(since)}
        if since is not None
        else None,
        targets=[_target(one, home) for one in report.targets],
        environments=[_environment(one, Markup) for one in environments],
        suites=[_trials(one, Markup) for one in trials if one.kept],
        version=version,
    )
    return str(text).encode("utf-8", "replace").decode("utf-8")


def _row(one: Finding, home: str) -> Mapping[str, str]:
    return {
        "verdict": one.verdict.value,
        "style": STYLES[one.verdict],
        "subject": plain_text(one.subject),
        "question": plain_text(one.question),
        "answer": plain_text(one.answer),
        "cause": one.cause.value,
        "remedy": plain_text(next_step_text(one.remedy, home)) if one.remedy else "",
        "seconds": f"{one.elapsed_seconds:.2f} s" if one.elapsed_seconds >= 0.01 else "",
    }


def _titled(target: TargetReport, one: Finding, also: int, home: str) -> str:
    """Return whose fault it is: the target, what of it, and how many others say the same."""
    subject = "" if one.subject in target.target or "/" in one.subject else f": {one.subject}"
    return plain_text(f"{_in_home(target.target, home)}{subject}{f', and {also} more like it' if also else ''}")


def _in_home(title: str, home: str) -> str:
    """Return a title with the home in it as `~`."""
    return title.replace(f" {home.rstrip('/')}/", " ~/")


def _target(target: TargetReport, home: str) -> Mapping[str, object]:
    order = list(STYLES)
    ordered = sorted(target.findings, key=lambda one: (one.passed, order.index(one.verdict)))
    return {
        "title": plain_text(_in_home(target.target, home)),
        "faults": sum(1 for one in target.findings if one.is_fault),
        "result": count_text(target.findings).partition(": ")[2] or "nothing to check",
        "rows": [_row(one, home) for one in ordered],
    }


def _trials(one: TrialsOf, markup: type[str]) -> Mapping[str, object]:
    newest = one.kept[0]
    figures = [figure for file in one.tables if (figure := table_figure(f"{newest.folder}/{file}")) is not None]
    return {
        "name": one.name,
        "figures": [{"svg": markup(figure.svg), "caption": figure.caption} for figure in figures],
        "rows": [
            dict(zip(("when", "machine", "took", "result"), row, strict=True)) for row in evidence_rows(one.kept)
        ],
    }


def _environment(facts: EnvironmentFacts, markup: type[str]) -> Mapping[str, object]:
    every = facts.distributions
    licences = Counter(map(_licence, every))
    return {
        "name": facts.name,
        "interpreter": facts.interpreter,
        "count": len(every),
        "size": shown_size(sum(one.size_bytes for one in every)),
        "figures": [{"svg": markup(one.svg), "caption": one.caption} for one in environment_figures(facts)],
        "licences": [
            {
                "licence": plain_text(licence),
                "count": count,
                "names": ", ".join(one.name for one in every if _licence(one) == licence),
            }
            for licence, count in licences.most_common()
        ],
        "rows": [
            {
                "name": one.name,
                "version": one.version,
                "licence": plain_text(one.licence),
                "size": shown_size(one.size_bytes),
                "seconds": f"{one.import_seconds:.2f} s" if one.import_seconds >= 0.005 else "",
                "requires": ", ".join(one.requires),
                "requested": one.is_requested,
            }
            for one in every
        ],
    }


def _licence(one: DistributionFacts) -> str:
    return spdx_expression(one.licence) or one.licence or "not stated"
