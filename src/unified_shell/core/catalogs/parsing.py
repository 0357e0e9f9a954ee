"""Reading a description from its TOML file."""

import re
from collections.abc import Callable

from packaging.version import InvalidVersion, Version

from unified_shell.core.machine.files.disks import parse_size

from .check_tables import check_of, expected_file, pattern_fault
from .checking import CheckedFile, CheckedTable
from .description import (
    Archive,
    Conditional,
    Description,
    Form,
    FormKind,
    Needs,
    Offers,
    Subject,
    Trial,
    TrialCommand,
)

__all__ = ["parse_description"]

NAME = re.compile(r"[a-z0-9][a-z0-9._-]*")
VARIABLE = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
SHA256 = re.compile(r"[0-9a-f]{64}")
COMPILERS = ("c", "c++", "fortran")
# Not the list of all licences: the grammar, so that a sentence is told from an expression.
SPDX = re.compile(r"[A-Za-z0-9.+:-]+(\s+(AND|OR|WITH)\s+[A-Za-z0-9.+:-]+)*")


def parse_description(content: bytes, where: str) -> Description:
    """Return a description; raises DescriptionBroken with every mistake, its line and what was expected."""
    file = CheckedFile(content, where)
    top = file.top
    subject = (
        Subject.SUITE if top.text("kind", fits=_one_of("interpreter", "suite")) == "suite" else Subject.INTERPRETER
    )
    licence, asks, licence_text = _licence(top)
    forms = tuple(_form(one) for one in top.tables("form"))
    if not top.has("form"):
        top.mistake("form", "there is no [[form]]; expected at least one way to have it")
    found = Description(
        subject=subject,
        name=top.text("name", required=True, fits=_name),
        version=top.text("version", required=True, fits=_version),
        summary=top.text("summary", required=True),
        licence=licence,
        asks_acceptance=asks,
        licence_text=licence_text,
        language=top.text("language", required=subject is Subject.INTERPRETER),
        categories=top.texts("categories"),
        forms=forms,
        needs=_needs(top.table("needs")),
        offers=_offers(top.table("offers")),
        checks=tuple(check_of(one) for one in top.tables("check")),
        trial=_trial(top.table("trial")),
    )
    top.no_others()
    file.finish()
    return found


def _licence(top: CheckedTable) -> tuple[str, bool, str]:
    table = top.table("licence")
    if table is None:
        if not top.has("licence"):
            top.mistake("licence", "[licence] is missing; expected spdx = '…'")
        return "", False, ""
    found = (table.text("spdx", required=True, fits=_spdx), table.truth("asks-acceptance"), table.text("text"))
    if found[1] and not found[2]:
        table.mistake("asks-acceptance", "asks-acceptance without text; expected the licence's text beside it")
    table.no_others()
    return found


def _form(table: CheckedTable) -> Form:
    kind = table.text("kind", required=True, fits=_one_of("binary", "source"))
    found = Form(
        kind=FormKind.SOURCE if kind == "source" else FormKind.BINARY,
        platform=table.text("platform", required=kind == "binary", fits=_platform),
        archive=_archive(table),
        root=table.text("root", fits=_inside),
        patches=tuple(_patch(one) for one in table.tables("patch")),
        build=table.commands("build"),
        clean=table.commands("clean"),
        expected_seconds=table.number("expected-seconds"),
        limit_seconds=table.number("limit-seconds"),
        this_processor_only=table.truth("this-processor-only"),
        executable=table.texts("executable"),
    )
    if wrong := next((one for one in found.executable if _inside(one)), ""):
        table.mistake("executable", f"{wrong!r} in executable; expected {_inside(wrong)}")
    table.no_others()
    return found


def _archive(table: CheckedTable) -> Archive:
    found = Archive(
        file_name=table.text("file", required=True, fits=_file_name),
        sha256=table.text("sha256", required=True, fits=_sha256),
        size_bytes=table.number("size"),
        url=table.text("url"),
        by_hand=table.text("by-hand"),
    )
    if bool(found.url) == bool(found.by_hand):
        table.mistake("url", "expected either url, or by-hand with words that tell how to fetch it")
    return found


def _patch(table: CheckedTable) -> Archive:
    found = _archive(table)
    table.no_others()
    return found


def _needs(table: CheckedTable | None) -> Needs:
    if table is None:
        return Needs()
    disk = table.text("disk", fits=_size)
    compilers = table.texts("compilers")
    if wrong := next((one for one in compilers if one not in COMPILERS), ""):
        table.mistake("compilers", f"{wrong!r} in compilers; expected: {', '.join(COMPILERS)}")
    found = Needs(
        commands=table.pairs("commands"),
        headers=table.texts("headers"),
        libraries=table.texts("libraries"),
        compilers=compilers,
        modules=table.many_pairs("modules"),
        suites=table.texts("suites"),
        place_without_spaces=table.truth("place-without-spaces"),
        disk_bytes=parse_size(disk),
        system_packages=table.pairs("system-packages"),
        conditional=tuple(_conditional(one) for one in table.tables("conditional")),
    )
    table.no_others()
    return found


def _conditional(table: CheckedTable) -> Conditional:
    found = Conditional(
        need=table.text("need", required=True),
        failure=table.text("failure", required=True, fits=pattern_fault),
        line=table.text("line"),
    )
    table.no_others()
    return found


def _offers(table: CheckedTable | None) -> Offers:
    if table is None:
        return Offers()
    found = Offers(
        commands=table.texts("commands"),
        search_paths=table.many_pairs("search-path"),
        variables=table.pairs("variables"),
        session_scripts=table.one_or_more_texts("session-script"),
        interpreter=table.text("interpreter", fits=_inside),
        module_folders=table.one_or_more_texts("modules"),
    )
    for key, pairs in (("search-path", found.search_paths), ("variables", found.variables)):
        for name, value in pairs:
            if not VARIABLE.fullmatch(name):
                table.mistake(key, f"{name!r} in {key}; expected a variable's name: letters, digits and '_'")
            if key == "search-path" and (expected := _inside(value)):
                table.mistake(key, f"{name} = {value!r}; expected {expected}")
            if not value.isprintable():
                table.mistake(key, f"{name} = {value!r}; expected text of one line, without control characters")
    for key, places in (("session-script", found.session_scripts), ("modules", found.module_folders)):
        if wrong := next((one for one in places if _inside(one)), ""):
            table.mistake(key, f"{wrong!r} in {key}; expected {_inside(wrong)}")
    table.no_others()
    return found


def _trial(table: CheckedTable | None) -> Trial | None:
    if table is None:
        return None
    sample, memory, disk = (
        table.table("sample"),
        *(table.text(f"limit-{one}", fits=_size) for one in ("memory", "disk")),
    )
    found = Trial(
        data=table.text("data", fits=_inside),
        place=table.text("place", fits=_inside),
        sample=_patch(sample) if sample is not None else None,
        files=tuple(_text_file(one) for one in table.tables("file")),
        folder=table.text("folder", fits=_inside),
        variables=table.pairs("variables"),
        commands=tuple(_trial_command(one) for one in table.tables("run")),
        makes=tuple(expected_file(one) for one in table.tables("makes")),
        expected_seconds=table.number("expected-seconds"),
        limit_seconds=table.number("limit-seconds", 600),
        limit_memory_bytes=parse_size(memory),
        limit_disk_bytes=parse_size(disk),
        processes=table.number("processes", 1),
        viewer=table.texts("viewer"),
    )
    if not found.commands:
        table.mistake("", "[trial] runs nothing; expected one or more [[trial.run]]")
    table.no_others()
    return found


def _text_file(table: CheckedTable) -> tuple[str, str]:
    found = (table.text("name", required=True, fits=_inside), table.text("text", required=True))
    table.no_others()
    return found


def _trial_command(table: CheckedTable) -> TrialCommand:
    words = table.texts("command")
    if not words:
        table.mistake("command", "command is missing; expected a list of words, such as ['humscan', 'hum.wav']")
    found = TrialCommand(
        words=words,
        input=table.text("input", fits=_inside),
        output=table.text("output", fits=_inside),
        exit_codes=table.whole_numbers("exit-codes") or (0,),
        system=table.text("system", fits=_one_of("linux", "macos", "windows")),
    )
    table.no_others()
    return found


def _name(text: str) -> str:
    return "" if NAME.fullmatch(text) else "small letters, digits, '-', '_' and '.'"


def _version(text: str) -> str:
    try:
        Version(text)
    except InvalidVersion:
        return "a version such as 1.4.2"
    return ""


def _spdx(text: str) -> str:
    return "" if SPDX.fullmatch(text.replace("(", "").replace(")", "")) else "an SPDX expression such as MIT"


def _size(text: str) -> str:
    return "" if parse_size(text) else "a size such as '300 MB'"


def _sha256(text: str) -> str:
    return "" if SHA256.fullmatch(text) else "64 hexadecimal digits in small letters"


def _file_name(text: str) -> str:
    good = "/" not in text and text not in (".", "..") and text.isprintable()
    return "" if good else "a file name without '/'"


def _inside(text: str) -> str:
    return "a place inside the tree" if text.startswith("/") or ".." in text.split("/") else ""


def _platform(text: str) -> str:
    return "" if re.fullmatch(r"(linux|macos|windows)-\w+", text) else "such as linux-x86_64"


def _one_of(*known: str) -> Callable[[str], str]:
    return lambda text: "" if text in known else f"one of: {', '.join(known)}"
