"""Write the package's `schemas/outfit.json`, the JSON Schema of outfits, by which editors complete and check them.

Usage: python docs/make_outfit_schema.py

A test holds it against the reader, in both directions: what one takes, the other takes.
"""

import json
from pathlib import Path

import unified_shell
from unified_shell.core.expectations.expectation import Comparison
from unified_shell.core.outfits.outfit_reading import LANGUAGES, ONLY_PYTHON
from unified_shell.core.shells.dialects.table import DIALECTS

FILE = Path(unified_shell.__file__).parent / "schemas" / "outfit.json"
TEXT = {"type": "string"}
TEXTS = {"type": "array", "items": TEXT}
TRUTH = {"type": "boolean"}
NUMBER = {"type": "integer", "minimum": 0}
ONE_OR_MORE = {"anyOf": [TEXT, TEXTS]}
VARIABLE = {"pattern": "^[A-Za-z_][A-Za-z0-9_]*$"}
NAMED = {"pattern": "^[A-Za-z0-9][A-Za-z0-9._-]*$"}


def table(required: tuple[str, ...] = (), **properties: object) -> dict[str, object]:
    """Return the schema of a table with these keys alone; an underscore stands for a hyphen."""
    named = {name.rstrip("_").replace("_", "-"): one for name, one in properties.items()}
    found: dict[str, object] = {"type": "object", "properties": named, "additionalProperties": False}
    return {**found, "required": list(required)} if required else found


def tables_by(names: dict[str, object], one: dict[str, object]) -> dict[str, object]:
    """Return the schema of tables by their names."""
    return {"type": "object", "propertyNames": names, "additionalProperties": one}


def schema() -> dict[str, object]:
    """Return the schema."""
    paths = tables_by(VARIABLE, table(front=TEXTS, back=TEXTS, when=TEXT))
    variables = {"type": "object", "propertyNames": VARIABLE, "additionalProperties": TEXT}
    makes = table(
        ("file",),
        file=TEXT,
        least_size=TEXT,
        rows=NUMBER,
        least_rows=NUMBER,
        columns=NUMBER,
        column=TEXT,
        least={"type": "number"},
        most={"type": "number"},
        picture=TRUTH,
        says=ONE_OR_MORE,
        counts={"type": "array", "items": table(("pattern",), pattern=TEXT, times=NUMBER)},
        numbers={
            "type": "array",
            "items": table(("pattern", "value"), pattern=TEXT, value={"type": "number"}, within={"type": "number"}),
        },
        same_as=TEXT,
        compare={"enum": [one.value for one in Comparison]},
        leave_out=TEXT,
    )
    tried = ("command", "module", "script", "serves", "kernel")
    check = table(
        name=TEXT,
        command=TEXTS,
        module=TEXT,
        script=TEXT,
        serves=TEXTS,
        kernel=TEXT,
        in_=TEXT,
        input=TEXT,
        folder=TEXT,
        exit_codes={"type": "array", "items": {"type": "integer"}},
        says=TEXT,
        says_pattern=TEXT,
        never_says=ONE_OR_MORE,
        version=TEXT,
        version_pattern=TEXT,
        true=TEXT,
        cell=TEXT,
        prints=TEXT,
        port=NUMBER,
        url=TEXT,
        makes={"type": "array", "items": makes},
        limit_seconds=NUMBER,
        limit_memory=TEXT,
        needs=ONE_OR_MORE,
    )
    check["oneOf"] = [{"required": [one]} for one in tried]
    environment = table(
        packages=TEXTS,
        from_=ONE_OR_MORE,
        groups=TEXTS,
        extras=TEXTS,
        interpreter=TEXT,
        language={"enum": list(LANGUAGES)},
        as_of=TEXT,
        notebook=TRUTH,
        applications=TEXTS,
        search_path=paths,
        variables=variables,
        when=TEXT,
    )
    # What is about packages is for Python alone.
    other = {"properties": {"language": {"not": {"const": "python"}}}, "required": ["language"]}
    environment["if"] = other
    environment["then"] = {"not": {"anyOf": [{"required": [one]} for one in ONLY_PYTHON]}}
    form = {"enum": ["binary", "source"]}
    shells = {"type": "array", "items": {"enum": [one.name for one in DIALECTS]}}
    top = table(
        ("outfit",),
        outfit=table(("name",), name={**TEXT, **NAMED}, summary=TEXT, scope={"enum": ["me", "everyone"]}),
        index=tables_by(NAMED, table(("url",), url=TEXT)),
        catalog=tables_by(NAMED, table(("url",), url=TEXT)),
        interpreter=table(language={"enum": ["python"]}, version=TEXT),
        environment=tables_by(NAMED, environment),
        suite=tables_by(NAMED, table(version=TEXT, form=form, trial=TRUTH, when=TEXT)),
        command=tables_by(NAMED, table(package=TEXT, when=TEXT)),
        search_path=paths,
        variables=variables,
        shells=table(wire=shells, completion=TRUTH),
        check={"type": "array", "items": check},
    )
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "outfit.toml", **top}


def main() -> None:
    """Write the file."""
    FILE.write_text(json.dumps(schema(), indent=1) + "\n")


if __name__ == "__main__":
    main()
