"""Licences, against those that the configuration allows: `[licences] allowed = ["MIT", …]` in config.toml."""

from collections.abc import Collection, Iterator, Mapping

from unified_shell.core.changes.records import read_records
from unified_shell.core.distributions.licences import is_allowed, spdx_expression
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.errors import UsageError
from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import ush

from .installed_metadata import Installed

__all__ = ["allowed_licences", "check_licences"]


def allowed_licences(locations: Locations) -> tuple[str, ...]:
    """Return the SPDX identifiers that are allowed; none where the configuration says nothing, which allows all."""
    table = read_records(locations.config_file).get("licences", {})
    allowed = table.get("allowed") if isinstance(table, Mapping) else None
    if isinstance(table, Mapping) and not table:
        return ()
    if not isinstance(allowed, list) or not isinstance(table, Mapping) or set(table) != {"allowed"}:
        raise UsageError(
            f"[licences] in {locations.config_file} must hold allowed, a list of SPDX identifiers, and nothing else",
            next_step="correct it in an editor",
        )
    return tuple(map(str, allowed))


def check_licences(
    environment: Environment, installed: Mapping[NormalizedName, Installed], allowed: Collection[str]
) -> Iterator[Finding]:
    """Judge each distribution's licence; what is no SPDX expression cannot be compared, and is not tried."""
    met = 0
    for name, there in installed.items():
        said, expression = there.metadata.licence, spdx_expression(there.metadata.licence)
        if expression and is_allowed(expression, allowed):
            met += 1
            continue
        why = ush("package", "why", name, *environment.naming)
        yield Finding(
            subject=name,
            question="has a licence that is allowed",
            verdict=Verdict.FAULT if expression else Verdict.NOT_TRIED,
            answer=expression or (f"{said!r} is not an SPDX expression" if said else "it does not state its licence"),
            cause=Cause.LICENCE_NOT_ALLOWED if expression else Cause.UNKNOWN,
            remedy=why if expression else "",
        )
    if met:
        yield Finding(
            subject="licences",
            question="are allowed",
            verdict=Verdict.PASSED,
            answer=f"{met} distributions have one of: {', '.join(allowed)}",
        )
