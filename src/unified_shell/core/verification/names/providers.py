"""A project that brings a module or a command, as it was seen here."""

from enum import Enum

from msgspec import Struct

__all__ = ["Provider", "ProviderPlace"]


class ProviderPlace(Enum):
    """Where a distribution was seen."""

    ENVIRONMENT = "environment"
    STORE = "store"
    INDEX = "index"


class Provider(Struct, frozen=True, kw_only=True):
    """A project that brings what was asked for, and where it was seen; `environment` is the one that has it."""

    project: str
    place: ProviderPlace
    environment: str = ""
