"""Write the JSON Schemas of all that `--json` prints, in the package's `schemas/`, from the values that the documents are made of.

Usage: python docs/make_schemas.py

A test compares the files with this, and what every command prints with the files.
"""

import json
from functools import cache
from pathlib import Path
from typing import Any, get_type_hints

import msgspec

import unified_shell
from unified_shell.core.catalogs.reading import CatalogRead
from unified_shell.core.changes.plan import Afterward, Outcome, Plan
from unified_shell.core.commands.directories import PlaceReport
from unified_shell.core.commands.patterns import MatchedName
from unified_shell.core.commands.preferred import Choice
from unified_shell.core.commands.states import State
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.packages.dependency_paths import Why
from unified_shell.core.environments.upkeep.downloads import Downloads
from unified_shell.core.environments.upkeep.store_usage import StoreEntry
from unified_shell.core.interpreters.adopted import Adopted
from unified_shell.core.interpreters.discovery import FoundInterpreter
from unified_shell.core.interpreters.getting.offered import Offer
from unified_shell.core.interpreters.managed import ManagedInterpreter
from unified_shell.core.interpreters.other_languages import OtherInterpreter
from unified_shell.core.outfits.drift import Drift
from unified_shell.core.outfits.starters import Starter
from unified_shell.core.shells.dialects.dialect import SessionScript
from unified_shell.core.shells.startup.startup_costs import FileCost
from unified_shell.core.shells.startup.startup_files import StartupState
from unified_shell.core.shells.tracing.path_report import PathReport
from unified_shell.core.shells.wiring.registry_wiring import RegistryEntry
from unified_shell.core.shells.wiring.wiring import Entry
from unified_shell.core.suites.managed_suites import ManagedSuite
from unified_shell.core.suites.suite_list import SuiteRow
from unified_shell.core.suites.trials.evidence import Evidence
from unified_shell.core.suites.trials.trial_runs import TrialRun
from unified_shell.core.verification.modules.module_states import ModuleReport
from unified_shell.core.verification.names.looking import NameLook
from unified_shell.core.verification.packages.environment_reports import EnvironmentReport
from unified_shell.core.verification.reports.comparing import Difference
from unified_shell.core.verification.reports.report import Report
from unified_shell.core.verification.survey import Survey
from unified_shell.views.journal_view import JournalRow
from unified_shell.views.json_view import SCHEMA

SCHEMAS = Path(unified_shell.__file__).parent / "schemas"
Row = dict[str, Any]
Texts = tuple[str, ...]


def fields_of(struct: type, *names: str) -> dict[str, Any]:
    """Return the types of fields of a value, by name; all where none is named."""
    hints = get_type_hints(struct)
    return {name: hints[name] for name in names or struct.__struct_fields__}  # type: ignore[attr-defined]


def items(one: Any) -> dict[str, Any]:
    """Return what a list of these holds."""
    return {"items": tuple[one, ...]}


NAME = fields_of(NameLook, "remedy", "sessions", "commands", "menu", "session_is_stale", "stale_programs")
REPORT = get_type_hints(NameLook)["report"]
# What a document of each kind holds beside its own keys, by key. What stands in MAYBE need not be there.
DOCUMENTS: dict[str, dict[str, Any]] = {
    "catalog": fields_of(CatalogRead),
    "catalogs": {**items(Row), "offers": tuple[Offer, ...], "faults": Texts},
    "checks": items(Row),
    "commands": {"choices": tuple[Choice, ...], "names": tuple[MatchedName, ...]},
    "environment": {
        **fields_of(EnvironmentReport, "environment", "commands", "applications", "offered"),
        "imports": dict[str, Texts],
        "size_bytes": int,
        "own_bytes": int,
        "drift": Texts,
    },
    "environments": items(Environment),
    "error": {"error": str, "where": str, "next_step": str, "exit_code": int},
    "indexes": items(Row),
    "interpreters": {
        "found": tuple[FoundInterpreter, ...],
        "others": tuple[OtherInterpreter, ...],
        "kept": tuple[ManagedInterpreter, ...],
        "adopted": tuple[Adopted, ...],
    },
    "journal": items(JournalRow),
    "look": fields_of(Survey),
    "module": fields_of(ModuleReport),
    "name": {**fields_of(REPORT), **NAME, "state": State, "state_here": State, "module": ModuleReport | None},
    "names": items(MatchedName),
    "outcome": {**fields_of(Outcome), "words": str, "afterwards": tuple[Afterward, ...]},
    "outfit-plan": {**fields_of(Plan), "words": str, "drift": tuple[Drift, ...]},
    "own paths": {"environment": str, "wiring": tuple[Entry, ...]},
    "packages": items(Row),
    "path": {"report": PathReport, "wiring": tuple[Entry, ...]},
    "place": fields_of(PlaceReport),
    "plan": {**fields_of(Plan), "words": str},
    "registry path": {"variable": str, "entries": tuple[RegistryEntry, ...]},
    "session path": {"entries": tuple[Row, ...], "wiring": tuple[Entry, ...]},
    "starters": items(Starter),
    "startup files": {
        "files": tuple[StartupState, ...],
        "scripts": tuple[SessionScript, ...],
        "costs": tuple[dict[str, str | FileCost], ...],
    },
    "store": {**items(StoreEntry), "downloads": Downloads},
    "suite": {"suite": ManagedSuite, "commands": Texts, "trials": tuple[Evidence, ...]},
    "suites": {**items(SuiteRow), "faults": Texts},
    "swept": {"entries": tuple[StoreEntry, ...], "downloads": Downloads, "freed_bytes": int},
    "topics": items(Row),
    "trial": fields_of(TrialRun),
    "variables": items(Row),
    "verification": {**fields_of(Report), "since": Difference},
    "why": fields_of(Why),
    "written": {"place": str, "files": int, "size_bytes": int, "holds": Texts},
}
MAYBE = {"since"}


@cache
def schema_of(kind: str) -> dict[str, object]:
    """Return the schema of a kind of document."""
    held = DOCUMENTS[kind]
    shapes, parts = msgspec.json.schema_components(tuple(held.values()), ref_template="#/$defs/{name}")
    _tidy(parts)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"ush: {kind}",
        "type": "object",
        "properties": {
            "schema": {"const": SCHEMA},
            "kind": {"const": kind},
            **dict(zip(held, shapes, strict=True)),
        },
        "required": ["schema", "kind", *(name for name in held if name not in MAYBE)],
        "additionalProperties": False,
        "$defs": parts,
    }


def _tidy(value: object) -> None:
    """Write descriptions as one paragraph each, not as they are wrapped in the source."""
    if isinstance(value, dict):
        if isinstance(value.get("description"), str):
            value["description"] = " ".join(value["description"].split())
        for one in value.values():
            _tidy(one)
    elif isinstance(value, list):
        for one in value:
            _tidy(one)


def file_of(kind: str) -> Path:
    """Return where the schema of a kind is."""
    return SCHEMAS / f"{kind.replace(' ', '-')}.schema.json"


def schema_text(kind: str) -> str:
    """Return what the file of a kind holds."""
    return json.dumps(schema_of(kind), indent=1) + "\n"


if __name__ == "__main__":
    SCHEMAS.mkdir(exist_ok=True)
    for each in DOCUMENTS:
        file_of(each).write_text(schema_text(each))
