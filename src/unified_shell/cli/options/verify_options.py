"""The options of `ush verify`, as one value."""

import functools
from collections.abc import Callable

import click
from msgspec import Struct

__all__ = ["VerifyOptions", "verify_options"]


class VerifyOptions(Struct, frozen=True, kw_only=True):
    """What the options say; texts that were not given are empty."""

    checks: tuple[str, ...]
    html: str
    junit: str
    bill: str
    against: str
    launch: bool
    limit: float
    thorough: bool
    in_full: bool
    list_checks: bool
    mend: bool
    yes: bool
    only_plan: bool
    as_json: bool


OPTIONS = (
    click.option("--checks", multiple=True, metavar="FILE", help="Also carry out the [[check]] tables of FILE."),
    click.option("--html", default="", metavar="FILE", help="Also write a page for a browser."),
    click.option("--junit", default="", metavar="FILE", help="Also write JUnit XML, for continuous integration."),
    click.option(
        "--bill",
        default="",
        metavar="FILE",
        help="Also write a bill of materials: NAME.cdx.json (CycloneDX) or NAME.spdx.json (SPDX).",
    ),
    click.option("--against", default="", metavar="FILE", help="Also say what changed since a report by --json."),
    click.option("--launch", is_flag=True, help="Also start commands that may not know --version."),
    click.option(
        "--limit",
        type=click.FloatRange(min=1),
        default=120,
        show_default=True,
        metavar="SECONDS",
        help="Longest time that one import may take.",
    ),
    click.option("--thorough", is_flag=True, help="Compare the content of every file, not only size and time."),
    click.option("--all", "in_full", is_flag=True, help="Show what passed, check by check."),
    click.option("--list-checks", is_flag=True, help="List the checks and what each does; verify nothing."),
    click.option("--mend", is_flag=True, help="Mend what needs no decision, in one plan, then verify again."),
    click.option("-y", "--yes", is_flag=True, help="With --mend: carry out the plan without asking."),
    click.option("--plan", "only_plan", is_flag=True, help="With --mend: show the plan and change nothing."),
    click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON."),
)


def verify_options(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command these options; it is called with one `options` for them."""

    @functools.wraps(command)
    def with_options(*args: object, **given: object) -> None:
        own = {name: given.pop(name) for name in VerifyOptions.__struct_fields__}
        command(*args, options=VerifyOptions(**own), **given)  # type: ignore[arg-type]  # click made them so

    for option in reversed(OPTIONS):
        with_options = option(with_options)
    return with_options
