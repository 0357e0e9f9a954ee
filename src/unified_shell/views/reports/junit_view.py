"""A verification as JUnit XML, which servers for continuous integration read: a suite a target, a case a check."""

from typing import TYPE_CHECKING
from xml.etree import ElementTree

from unified_shell.core.findings import Verdict
from unified_shell.views.next_step_text import next_step_text
from unified_shell.views.terminal.plain_text import plain_text

if TYPE_CHECKING:
    from unified_shell.core.findings import Finding
    from unified_shell.core.verification.reports.report import Report, TargetReport

__all__ = ["junit_text"]


def junit_text(report: "Report", home: str) -> str:
    """Return the document; a fault is a failure with its cause as type, what was not tried is skipped."""
    top = ElementTree.Element("testsuites", {"name": "verification"})
    for number, target in enumerate(report.targets):
        top.append(_suite(target, report, number, home))
    ElementTree.indent(top)
    body = ElementTree.tostring(top, encoding="unicode")
    return f"<?xml version='1.0' encoding='utf-8'?>\n{body}\n"


def _suite(target: "TargetReport", report: "Report", number: int, home: str) -> ElementTree.Element:
    found = target.findings
    faults = sum(1 for one in found if one.is_fault)
    suite = ElementTree.Element(
        "testsuite",
        {
            "name": _clean(target.target),
            "id": str(number),
            "timestamp": report.made.partition(".")[0],
            "tests": str(len(found)),
            "failures": str(faults),
            "errors": "0",
            "skipped": str(sum(1 for one in found if one.verdict is Verdict.NOT_TRIED)),
            "time": f"{sum(one.elapsed_seconds for one in found):.3f}",
        },
    )
    suite.extend([_case(one, home) for one in found])
    return suite


def _case(one: "Finding", home: str) -> ElementTree.Element:
    case = ElementTree.Element(
        "testcase",
        {
            "classname": _clean(one.check or one.subject),
            "name": _clean(f"{one.subject}: {one.question}"),
            "time": f"{one.elapsed_seconds:.3f}",
        },
    )
    if one.is_fault:
        failure = ElementTree.SubElement(
            case, "failure", {"type": one.cause.value or "unknown", "message": _clean(one.answer)}
        )
        if one.remedy:
            failure.text = _clean(f"type: {next_step_text(one.remedy, home)}")
    elif one.verdict is Verdict.NOT_TRIED:
        ElementTree.SubElement(case, "skipped", {"message": _clean(one.answer)})
    return case


def _clean(text: str) -> str:
    """Return text that XML can hold: no control characters, no lone surrogates."""
    return "".join(c if c.isprintable() else " " for c in plain_text(text)).encode("utf-8", "replace").decode("utf-8")
