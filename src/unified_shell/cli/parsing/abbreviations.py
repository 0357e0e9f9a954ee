"""Nouns and verbs are found by their names or the unique beginnings of them."""

import click

from unified_shell.core.errors import UnknownName, UsageError
from unified_shell.core.machine.places import typed

__all__ = [
    "CheckedCommand",
    "HelpContext",
    "ListCommand",
    "VerbGroup",
    "resolve_beginning",
    "typed_arguments",
    "typed_call",
    "typed_words",
]

# A variable's value may be empty.
MAY_BE_EMPTY = frozenset({"value"})
# Where what was typed is kept, noun and verb in full.
TYPED = "unified_shell.typed"
# How a plan is agreed to and shown says nothing of what is changed.
CONSENT = frozenset({"-y", "--yes", "--plan", "--json", "--quiet", "--plain"})


def typed_words(ctx: click.Context) -> tuple[str, ...]:
    """Return the words that were typed, noun and verb in full, without `ush` and consent."""
    return tuple(one for one in ctx.meta.get(TYPED, ()) if one not in CONSENT)


def typed_arguments(ctx: click.Context) -> tuple[str, ...]:
    """Return the words behind noun and verb, as they were typed."""
    typed: tuple[str, ...] = ctx.meta.get(TYPED, ())
    return typed[len(ctx.command_path.split()) - 1 :]


def typed_call(ctx: click.Context) -> str:
    """Return the call as it was typed, quoted, without consent and secrets: what a change is called."""
    from unified_shell.core.transfers.addresses import shown_address

    return " ".join(typed(shown_address(one)) for one in typed_words(ctx))


class HelpContext(click.Context):
    """A context whose help is as wide as the terminal, up to what can be read."""

    def make_formatter(self) -> click.HelpFormatter:
        """Return what help is written with."""
        from unified_shell.cli.manual.help_text import help_width

        return click.HelpFormatter(width=help_width())


def _be_plain(ctx: click.Context, _option: click.Parameter, value: object) -> None:
    from unified_shell.cli.context import Context

    if value and (context := ctx.find_object(Context)) is not None:
        context.plain = True


class CheckedCommand(click.Command):
    """A command that takes no empty words: they come of variables that were not set, and would mean anything.

    What was typed is kept: `typed_call` returns it.
    """

    context_class = HelpContext

    def get_params(self, ctx: click.Context) -> list[click.Parameter]:
        """Return the parameters, with the option that every command has."""
        plain = click.Option(
            ["--plain"],
            is_flag=True,
            is_eager=True,
            expose_value=False,
            callback=_be_plain,
            help="No colours, cursor movement or pager.",
        )
        *own, help_option = super().get_params(ctx)
        return [*own, plain, help_option]

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Read the words; raises a usage error for an empty one."""
        ctx.meta[TYPED] = (*ctx.command_path.split()[1:], *args)
        rest = super().parse_args(ctx, args)
        for parameter in self.params:
            name = parameter.name or ""
            given = ctx.get_parameter_source(name) is click.core.ParameterSource.COMMANDLINE
            value = ctx.params.get(name)
            values = value if isinstance(value, tuple) else (value,)
            if given and name not in MAY_BE_EMPTY and "" in values:
                is_word = isinstance(parameter, click.Argument)
                told = parameter.make_metavar(ctx).strip("[].") if is_word else parameter.opts[0]
                what = "word" if is_word else "value"
                raise click.UsageError(f"the {what} for {told} is empty: is a variable not set?", ctx)
        return rest

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write an example, then the options by groups."""
        from unified_shell.cli.manual.help_text import write_examples, write_options

        write_examples(ctx, formatter)
        write_options(self, ctx, formatter)


class ListCommand(CheckedCommand):
    """A command that only reads: what is longer than the terminal goes through the person's pager."""

    def invoke(self, ctx: click.Context) -> object:
        """Carry the command out."""
        from unified_shell.cli.context import Context

        with ctx.ensure_object(Context).screen.paged():
            return super().invoke(ctx)


class VerbGroup(click.Group):
    """A noun's group: verbs by their unique beginnings."""

    context_class = HelpContext
    command_class = CheckedCommand

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Read the words; a noun alone shows its verbs, as what was asked for."""
        if not args and not ctx.resilient_parsing:
            click.echo(ctx.get_help())
            ctx.exit(0)
        return super().parse_args(ctx, args)

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Find a verb by its name or the unique beginning of it."""
        return resolve_beginning(self, ctx, args, f"{ctx.info_name} command")

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the verbs; a noun has no option but the one for help."""
        from unified_shell.cli.manual.help_text import write_verbs

        write_verbs(self, ctx, formatter)
        formatter.write_paragraph()
        formatter.write_text(f"More of each, such as: {ctx.command_path} {self.list_commands(ctx)[0]} --help")

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the verbs in the order in which they were written."""
        return list(self.commands)


def resolve_beginning(
    group: click.Group, ctx: click.Context, args: list[str], kind: str
) -> tuple[str | None, click.Command | None, list[str]]:
    """Return what a group's first word means; raises UnknownName, or UsageError where it is not unique.

    A word that others use for something of ours is answered with what to type here.
    """
    word, rest = args[0], args[1:]
    known = group.list_commands(ctx)
    fitting = [word] if word in known else [name for name in known if name.startswith(word)]
    if len(fitting) == 1:
        return fitting[0], group.get_command(ctx, fitting[0]), rest
    from unified_shell.core.next_steps import ush

    from .everyday_words import instead_of_noun, instead_of_verb

    noun = "" if ctx.parent is None else str(ctx.info_name)
    if fitting:
        ways = [ush(*filter(None, (noun, one, *rest))) for one in fitting]
        steps = tuple(part for way in ways for part in ("or", way))[1:]
        raise UsageError(f"{word!r} may be {' or '.join(fitting)}", next_step=steps)
    instead = instead_of_verb(noun, word, rest, known) if noun else instead_of_noun(word, rest)
    if instead:
        raise UsageError(f"there is no {kind} named {word!r}", next_step=instead)
    raise UnknownName(kind, word, known, next_step=ush(*ctx.command_path.split()[1:], "--help"))
