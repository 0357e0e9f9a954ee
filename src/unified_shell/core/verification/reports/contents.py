"""What is in an environment, for reports: each distribution with its size, licence, requirements and import time."""

import os
from collections.abc import Mapping, Sequence

from msgspec import Struct

from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.errors import UshError
from unified_shell.core.findings import Finding
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.verification.packages.installed_metadata import Installed, read_installed
from unified_shell.core.verification.packages.requirements_here import requirements_here

__all__ = ["DistributionFacts", "EnvironmentFacts", "environment_facts"]


class DistributionFacts(Struct, frozen=True, kw_only=True):
    """A distribution as it is in an environment. `requires` are projects that are installed there; `sha256` is that of its
    wheel, empty where that is not known; seconds are those of its imports, 0 where they were not tried.
    """

    name: str
    version: str
    summary: str
    licence: str
    size_bytes: int
    requires: tuple[str, ...]
    is_requested: bool
    sha256: str = ""
    import_seconds: float = 0.0


class EnvironmentFacts(Struct, frozen=True, kw_only=True):
    """An environment's name, interpreter, identity and distributions, by name."""

    name: str
    interpreter: str
    identity: str
    distributions: tuple[DistributionFacts, ...]


def environment_facts(environment: Environment, host: Host, findings: Sequence[Finding] = ()) -> EnvironmentFacts:
    """Read what is in an environment; of `findings` the times of imports are taken."""
    installed = read_installed(environment)
    seconds: dict[str, float] = {}
    for one in findings:
        if one.passed and one.question.startswith("import "):
            seconds[one.subject] = seconds.get(one.subject, 0.0) + one.elapsed_seconds
    recorded = {one.name: one for one in environment.contents.distributions}
    needs = _requirements(environment, installed, host)
    rows = []
    for name, there in sorted(installed.items()):
        known = recorded.get(name)
        rows.append(
            DistributionFacts(
                name=name,
                version=there.metadata.version,
                summary=there.metadata.summary,
                licence=there.metadata.licence,
                size_bytes=sum(_size(join(environment.layout.site_packages, one)) for one in there.files),
                requires=needs.get(name, ()),
                is_requested=known is not None and bool(known.requested),
                sha256=known.sha256 if known is not None else "",
                import_seconds=seconds.get(name, 0.0),
            )
        )
    return EnvironmentFacts(
        name=environment.name,
        interpreter=environment.title,
        identity=environment.contents.identity,
        distributions=tuple(rows),
    )


def _size(path: str) -> int:
    try:
        return os.path.getsize(path)
    except OSError:
        return 0


def _requirements(
    environment: Environment, installed: Mapping[NormalizedName, Installed], host: Host
) -> dict[NormalizedName, tuple[str, ...]]:
    """Return what each distribution requires, as far as it is installed; nothing where the interpreter does not answer."""
    try:
        markers = base_of(environment, host).markers()
    except UshError:
        return {}
    return {
        name: tuple(sorted({canonicalize_name(one.name) for one in needed} & installed.keys()))
        for name, needed in requirements_here(installed, markers, environment).items()
    }
