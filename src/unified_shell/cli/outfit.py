"""`ush outfit`."""

import click

from .parsing.abbreviations import VerbGroup
from .verbs.outfit_equip import equip, lock, pack, plan
from .verbs.outfit_make import capture, new

__all__ = ["outfit"]


@click.group(cls=VerbGroup)
def outfit() -> None:
    """A study's whole set-up in one file, outfit.toml: compared with this machine, carried out, captured, locked."""


outfit.add_command(new)
outfit.add_command(capture)
outfit.add_command(plan)
outfit.add_command(equip)
outfit.add_command(lock)
outfit.add_command(pack)
