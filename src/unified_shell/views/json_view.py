"""The same facts for programs: stable keys, a schema version, ASCII only."""

import json

__all__ = ["SCHEMA", "json_text"]

SCHEMA = 1


def json_text(kind: str, value: object) -> str:
    """Return a document of a kind. Values become objects with their fields' names as keys.

    A name that is not UTF-8 holds escaped lone surrogates, one for each byte (PEP 383).
    """
    import msgspec

    fields = msgspec.to_builtins(value)
    body = fields if isinstance(fields, dict) else {"items": fields}
    if taken := {"schema", "kind"} & body.keys():
        raise ValueError(f"a document's own keys are {', '.join(sorted(taken))}")
    return json.dumps({"schema": SCHEMA, "kind": kind, **body}, ensure_ascii=True, indent=2)
