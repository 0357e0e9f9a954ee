"""`--front` and `--back`: one of them, or none."""

import functools
from collections.abc import Callable

import click

__all__ = ["side_options"]


def side_options(front: str, back: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Give a command both options with their help; it is called with `side`: "front", "back" or None."""

    def decorate(command: Callable[..., None]) -> Callable[..., None]:
        @functools.wraps(command)
        def with_side(*args: object, in_front: bool, behind: bool, **rest: object) -> None:
            if in_front and behind:
                raise click.UsageError("--front and --back cannot both be meant", click.get_current_context())
            command(*args, side="front" if in_front else "back" if behind else None, **rest)

        with_options: Callable[..., None] = click.option("--back", "behind", is_flag=True, help=back)(with_side)
        return click.option("--front", "in_front", is_flag=True, help=front)(with_options)

    return decorate
