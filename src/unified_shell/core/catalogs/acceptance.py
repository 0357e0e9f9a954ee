"""Licences that ask to be accepted: once for each text, by `--accept NAME`; what was accepted is kept in the configuration."""

from collections.abc import Collection

from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.changes.records import read_records, record_in
from unified_shell.core.changes.steps import PutRecord, Step
from unified_shell.core.errors import Refused
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import to_json_text

from .description import Description

__all__ = ["ask_acceptance"]

ACCEPTED = "accepted-licence"


def ask_acceptance(
    described: Description | None, accepted: Collection[str], locations: Locations
) -> tuple[list[PlanLine], tuple[Step, ...]]:
    """Return the licence's line and the step that notes an acceptance; raises Refused where one is missing."""
    if described is None:
        return [], ()
    if not described.asks_acceptance:
        return [plan_line(LineKind.NOTE, About.LICENCE, licence=str(described.licence))], ()
    keys = (ACCEPTED, digest_of_bytes(described.licence_text.encode())[:16])
    line = plan_line(LineKind.NOTE, About.LICENCE, licence=str(described.licence), accepted=True)
    if record_in(read_records(locations.config_file), keys) is not None:
        return [line], ()
    if described.name not in accepted:
        raise Refused(
            f"{described.name} asks for the acceptance of its licence ({described.licence}):\n"
            f"  {described.licence_text.strip()}",
            again_with=("--accept", described.name),
        )
    value = to_json_text({"name": described.name, "version": described.version, "licence": described.licence})
    return [line], (PutRecord(path=locations.config_file, keys=keys, before="", after=value),)
