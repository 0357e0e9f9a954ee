"""Write the JSON Schemas in `docs/schemas/` anew, from the values that the documents are made of.

Usage: python docs/make_schemas.py

A test holds the files against this, and what the commands print against the files.
"""

import json
from pathlib import Path

import msgspec

from unified_shell.core.verification.modules.module_states import ModuleReport
from unified_shell.core.verification.reports.comparing import Difference
from unified_shell.core.verification.reports.report import Report
from unified_shell.core.verification.survey import Survey
from unified_shell.views.json_view import SCHEMA

SCHEMAS = Path(__file__).parent / "schemas"
# What a document of each kind holds, beside its own keys; and what may stand in it besides, by its key.
DOCUMENTS: dict[str, tuple[type, dict[str, type]]] = {
    "look": (Survey, {}),
    "module": (ModuleReport, {}),
    "verification": (Report, {"since": Difference}),
}


def schema_of(kind: str) -> dict[str, object]:
    """Return the schema of a kind of document."""
    held, more = DOCUMENTS[kind]
    (top, *others), parts = msgspec.json.schema_components((held, *more.values()), ref_template="#/$defs/{name}")
    name = top["$ref"].rpartition("/")[2]
    own = parts.pop(name)
    _tidy(own)
    _tidy(parts)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"ush: {kind}",
        "description": own.get("description", ""),
        "type": "object",
        "properties": {
            "schema": {"const": SCHEMA},
            "kind": {"const": kind},
            **own["properties"],
            **dict(zip(more, others, strict=True)),
        },
        "required": ["schema", "kind", *own["required"]],
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


def schema_text(kind: str) -> str:
    """Return what the file of a kind holds."""
    return json.dumps(schema_of(kind), indent=2) + "\n"


if __name__ == "__main__":
    SCHEMAS.mkdir(exist_ok=True)
    for each in DOCUMENTS:
        (SCHEMAS / f"{each}.schema.json").write_text(schema_text(each))
