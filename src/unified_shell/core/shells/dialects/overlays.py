"""A shell's folders as links in a scratch one: a session that reads them writes nothing into the person's own.

fish at a terminal makes files of its own where there are none, keeps what is universal, and lets completions be made.
"""

import os
from collections.abc import Sequence

from unified_shell.core.machine.places import Place, join

__all__ = ["overlay_fish"]

COPIED = "fish_variables"
MADE_THERE = "generated_completions"


def overlay_fish(folder: str, home: str, variables: Sequence[tuple[str, str]]) -> dict[str, str]:
    """Make links in `folder` to all that fish reads for a person, and return the variables that lead it there.

    What is universal is copied, so that what the session sets of it is not kept.
    """
    given = dict(variables)
    config = given.get("XDG_CONFIG_HOME") or join(home, ".config")
    data = given.get("XDG_DATA_HOME") or join(home, ".local", "share")
    top_config, top_data = join(folder, "config"), join(folder, "data")
    os.makedirs(join(top_config, "fish", "conf.d"))
    os.makedirs(join(top_data, "fish", MADE_THERE))
    link_all(config, top_config, but=("fish",))
    link_all(data, top_data, but=("fish",))
    own = join(config, "fish")
    link_all(own, join(top_config, "fish"), but=("conf.d", COPIED))
    link_all(join(own, "conf.d"), join(top_config, "fish", "conf.d"))
    link_all(join(data, "fish"), join(top_data, "fish"), but=(MADE_THERE, "fish_history"))
    if os.path.isfile(join(own, COPIED)):
        with open(join(own, COPIED), "rb") as old, open(join(top_config, "fish", COPIED), "wb") as new:
            new.write(old.read())
    return {"XDG_CONFIG_HOME": top_config, "XDG_DATA_HOME": top_data}


def link_all(source: str, target: str, but: Sequence[str] = ()) -> None:
    """Link every entry of a folder into another one."""
    try:
        names = os.listdir(source)
    except OSError:
        return
    for name in names:
        if name not in but:
            os.symlink(join(Place(source), name), join(target, name))
