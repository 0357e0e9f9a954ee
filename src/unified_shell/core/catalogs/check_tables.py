"""Reading `[[check]]` tables: in descriptions, in outfits, and in files of checks alone."""

import re

from unified_shell.core.expectations.expectation import (
    LIMIT_SECONDS,
    Comparison,
    Expectation,
    ExpectedFile,
    ExpectedNumber,
)
from unified_shell.core.expectations.needed_things import NEEDS
from unified_shell.core.machine.files.disks import parse_size

from .checking import CheckedFile, CheckedTable

__all__ = ["check_of", "expected_file", "parse_checks", "pattern_fault"]

TRIED = ("command", "module", "script", "serves", "kernel")


def parse_checks(content: bytes, where: str) -> tuple[Expectation, ...]:
    """Return the checks of a file that holds `[[check]]` tables; raises DescriptionBroken with every mistake and its line."""
    file = CheckedFile(content, where)
    found = tuple(check_of(one) for one in file.top.tables("check"))
    if not file.top.has("check"):
        file.top.mistake("check", "there is no [[check]]; expected at least one")
    file.top.no_others()
    file.finish()
    return found


def check_of(table: CheckedTable) -> Expectation:
    """Return one check, with every mistake noted."""
    command, serves = table.texts("command"), table.texts("serves")
    module, script, kernel = table.text("module", fits=_module), table.text("script"), table.text("kernel")
    limit = table.text("limit-memory", fits=_size)
    found = Expectation(
        name=table.text("name"),
        command=command,
        module=module,
        script=script,
        serves=serves,
        kernel=kernel,
        environment=table.text("in"),
        input=table.text("input"),
        folder=table.text("folder"),
        exit_codes=table.whole_numbers("exit-codes") or (0,),
        says=table.text("says"),
        pattern=table.text("says-pattern", fits=pattern_fault),
        never_says=table.one_or_more_texts("never-says"),
        version=table.text("version"),
        version_pattern=table.text("version-pattern", fits=pattern_fault),
        expression=table.text("true"),
        cell=table.text("cell"),
        prints=table.text("prints"),
        port=table.number("port"),
        url=table.text("url", fits=_url),
        makes=tuple(expected_file(one) for one in table.tables("makes")),
        limit_seconds=table.number("limit-seconds", LIMIT_SECONDS) or LIMIT_SECONDS,
        limit_bytes=parse_size(limit) if limit else 0,
        needs=table.one_or_more_texts("needs"),
    )
    given = [name for name, value in zip(TRIED, (command, module, script, serves, kernel), strict=True) if value]
    if len(given) != 1:
        said = f"has {' and '.join(given)}" if given else "tries nothing"
        table.mistake("", f"a [[check]] {said}; expected exactly one of: {', '.join(TRIED)}")
    if serves and not (found.port or found.url):
        table.mistake("serves", "serves: expected port or url beside it, which answers when the service is up")
    for need in found.needs:
        if need.partition(":")[0] not in NEEDS:
            table.mistake("needs", f"needs = {need!r}; expected: {', '.join(NEEDS)}")
    table.no_others()
    return found


def expected_file(table: CheckedTable) -> ExpectedFile:
    """Return what is expected of one file, with every mistake noted."""
    size = table.text("least-size", fits=_size)
    ways = [one.value for one in Comparison]
    compare = table.text("compare", fits=lambda text: "" if text in ways else f"one of: {', '.join(ways)}")
    found = ExpectedFile(
        file=table.text("file", required=True, fits=_inside),
        least_bytes=parse_size(size) if size else 0,
        rows=table.number("rows"),
        least_rows=table.number("least-rows"),
        columns=table.number("columns"),
        column=table.text("column"),
        least=table.decimal("least"),
        most=table.decimal("most"),
        picture=table.truth("picture"),
        says=table.one_or_more_texts("says"),
        counts=tuple(_count(one) for one in table.tables("counts")),
        numbers=tuple(_number(one) for one in table.tables("numbers")),
        same_as=table.text("same-as", fits=_inside),
        compare=Comparison(compare) if compare in ways else Comparison.BYTES,
        leave_out=table.text("leave-out", fits=pattern_fault),
    )
    if (found.least is not None or found.most is not None) and not found.column:
        table.mistake("least", "least and most are of a column's numbers; expected column = 'NAME' beside them")
    table.no_others()
    return found


def _count(table: CheckedTable) -> tuple[str, int]:
    found = (table.text("pattern", required=True, fits=pattern_fault), table.number("times"))
    table.no_others()
    return found


def _number(table: CheckedTable) -> ExpectedNumber:
    pattern, value = table.text("pattern", required=True, fits=_with_group), table.decimal("value")
    if value is None:
        table.mistake("value", "value is missing; expected the number that the pattern's group must be")
    within = table.decimal("within")
    table.no_others()
    return ExpectedNumber(pattern=pattern, value=value or 0.0, within=within or 0.0)


def _with_group(text: str) -> str:
    wrong = pattern_fault(text)
    return wrong or ("" if re.compile(text).groups else "a regular expression with a group around the number")


def _module(text: str) -> str:
    return "" if re.fullmatch(r"[\w.:/-]+", text) else "a module's name"


def _inside(text: str) -> str:
    return "a file in the working folder" if text.startswith("/") or ".." in text.split("/") else ""


def _size(text: str) -> str:
    return "" if parse_size(text) else "a size such as '300 MB'"


def _url(text: str) -> str:
    return "" if text.startswith(("http://", "https://")) else "an address that begins with http:// or https://"


def pattern_fault(text: str) -> str:
    """Return what was expected where a text is not a regular expression."""
    try:
        re.compile(text)
    except re.error as error:
        return f"a regular expression ({error})"
    return ""
