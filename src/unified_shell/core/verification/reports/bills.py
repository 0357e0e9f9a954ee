"""Software bills of materials of environments, for those who must know what is in them.

Sources: CycloneDX 1.6 (JSON), SPDX 2.3 (JSON), the package URL specification (type pypi).
"""

import hashlib
import re
from collections.abc import Mapping, Sequence
from urllib.parse import quote

from unified_shell.core.distributions.licences import spdx_expression
from unified_shell.core.errors import UsageError
from unified_shell.core.next_steps import ush

from .contents import DistributionFacts, EnvironmentFacts

__all__ = ["bill_of"]


def bill_of(file: str, environments: Sequence[EnvironmentFacts], *, made: str, version: str) -> Mapping[str, object]:
    """Return the bill that a file of this name is to hold: `.cdx.json` or `.spdx.json`; `made` is the time (ISO 8601, UTC),
    `version` ours. Raises UsageError for another name.
    """
    when = re.sub(r"\.\d+Z$", "Z", made)
    if file.endswith(".cdx.json"):
        return _cyclonedx(environments, when, version)
    if file.endswith(".spdx.json"):
        return _spdx(environments, when, version)
    raise UsageError(
        f"{file} does not say which bill it is to be: its name must end in .cdx.json or .spdx.json",
        next_step=ush("verify", "--bill", "bill.cdx.json"),
    )


def _url(one: DistributionFacts) -> str:
    return f"pkg:pypi/{one.name}@{quote(one.version)}"


def _reference(environment: EnvironmentFacts, one: DistributionFacts) -> str:
    return f"{environment.identity}/{_url(one)}"


def _serial(environments: Sequence[EnvironmentFacts], when: str) -> str:
    """Return a UUID that is the same for the same contents at the same time."""
    told = repr([(one.identity, [(d.name, d.version, d.sha256) for d in one.distributions]) for one in environments])
    digest = hashlib.sha256(f"{when}\0{told}".encode()).hexdigest()
    # The form of a version 8 UUID (RFC 9562), which is for digests.
    return f"{digest[:8]}-{digest[8:12]}-8{digest[13:16]}-a{digest[17:20]}-{digest[20:32]}"


def _cyclonedx(environments: Sequence[EnvironmentFacts], when: str, version: str) -> Mapping[str, object]:
    return {
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "serialNumber": f"urn:uuid:{_serial(environments, when)}",
        "version": 1,
        "metadata": {
            "timestamp": when,
            "tools": {"components": [{"type": "application", "name": "unified-shell", "version": version}]},
        },
        "components": [_cyclonedx_environment(one) for one in environments],
        "dependencies": [
            {
                "ref": _reference(environment, one),
                "dependsOn": [
                    _reference(environment, other)
                    for other in environment.distributions
                    if other.name in one.requires
                ],
            }
            for environment in environments
            for one in environment.distributions
        ],
    }


def _cyclonedx_environment(environment: EnvironmentFacts) -> Mapping[str, object]:
    return {
        "type": "platform",
        "name": environment.name,
        "description": environment.interpreter,
        "bom-ref": environment.identity,
        "components": [
            {
                "type": "library",
                "name": one.name,
                "version": one.version,
                "bom-ref": _reference(environment, one),
                "purl": _url(one),
                **({"description": one.summary} if one.summary else {}),
                **({"licenses": [_cyclonedx_licence(one.licence)]} if one.licence else {}),
                **({"hashes": [{"alg": "SHA-256", "content": one.sha256}]} if one.sha256 else {}),
            }
            for one in environment.distributions
        ],
    }


def _cyclonedx_licence(text: str) -> Mapping[str, object]:
    expression = spdx_expression(text)
    return {"expression": expression} if expression else {"license": {"name": text}}


def _spdx(environments: Sequence[EnvironmentFacts], when: str, version: str) -> Mapping[str, object]:
    serial = _serial(environments, when)
    packages: list[Mapping[str, object]] = []
    relations: list[Mapping[str, str]] = []
    for number, environment in enumerate(environments):
        own = f"SPDXRef-environment-{number}"
        packages.append(_spdx_package(own, environment.name, environment.interpreter))
        relations.append(_relation("SPDXRef-DOCUMENT", "DESCRIBES", own))
        ids = {one.name: f"SPDXRef-{number}-{one.name}" for one in environment.distributions}
        for one in environment.distributions:
            packages.append(_spdx_package(ids[one.name], one.name, one.summary, one))
            relations.append(_relation(own, "CONTAINS", ids[one.name]))
            relations += [_relation(ids[one.name], "DEPENDS_ON", ids[other]) for other in one.requires]
    return {
        "spdxVersion": "SPDX-2.3",
        "dataLicense": "CC0-1.0",
        "SPDXID": "SPDXRef-DOCUMENT",
        "name": ", ".join(one.name for one in environments) or "nothing",
        "documentNamespace": f"urn:uuid:{serial}",
        "creationInfo": {"created": when, "creators": [f"Tool: unified-shell-{version}"]},
        "packages": packages,
        "relationships": relations,
    }


def _spdx_package(
    reference: str, name: str, summary: str, one: DistributionFacts | None = None
) -> Mapping[str, object]:
    licence = spdx_expression(one.licence) if one is not None else ""
    more: dict[str, object] = {}
    if one is not None:
        more["versionInfo"] = one.version
        more["externalRefs"] = [
            {
                "referenceCategory": "PACKAGE-MANAGER",
                "referenceType": "purl",
                "referenceLocator": _url(one),
            }
        ]
        if one.sha256:
            more["checksums"] = [{"algorithm": "SHA256", "checksumValue": one.sha256}]
        if one.licence and not licence:
            more["licenseComments"] = one.licence
    return {
        "SPDXID": reference,
        "name": name,
        "downloadLocation": "NOASSERTION",
        "filesAnalyzed": False,
        "licenseConcluded": "NOASSERTION",
        "licenseDeclared": licence or "NOASSERTION",
        "copyrightText": "NOASSERTION",
        **({"summary": summary} if summary else {}),
        **more,
    }


def _relation(one: str, kind: str, other: str) -> Mapping[str, str]:
    return {"spdxElementId": one, "relationshipType": kind, "relatedSpdxElement": other}
