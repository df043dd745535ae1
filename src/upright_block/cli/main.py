"""The command ``upright``. Each command lives in a file of its own and is read when it is called."""

from __future__ import annotations

import gc
from importlib import import_module
from typing import Any

import click

from upright_block import __version__
from upright_block.asking import asked_by

_COMMANDS = {
    "new": "Start a library: a manifest, one block and its cases.",
    "demo": "Copy the example library to a folder and run all of it.",
    "check": "Read everything and list every finding.",
    "verify": "Run the cases and show what was not as expected.",
    "run": "Run a block, a program, a configuration or a case, and watch it.",
    "why": "Tell why a signal has the value that it has.",
    "scan": "Show one scan as it ran, statement by statement.",
    "desk": "Sit at a running block, program, configuration or case, in the whole terminal.",
    "plot": "Draw a timing diagram of a case, or of a trace file.",
    "explain": "Tell what a finding means and how it is mended or allowed.",
    "show": "Draw a block, a tag's way from its point to the pins, or a wiring table as text; print a unit as rungs.",
    "format": "Put the rungs of ladders in order.",
    "graph": "Draw what uses what, or the states and steps of a block.",
    "tags": "List the tags: points, types, senses, ranges, other names.",
    "walk": "Move each point by itself and list what follows: the mapping test.",
    "instances": "List every instance: block, place, settings, wiring.",
}


_OPTIONS = {"span": "--for", "show_all": "--all", "instance": "--in"}
"""Options that are not called as the parameter that they set."""


class _Commands(click.Group):
    """A group that knows the name and the purpose of its commands without reading them."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        command: click.Command = import_module(f"upright_block.cli.{cmd_name}").command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in _COMMANDS and not args[0].startswith("-"):
            from upright_block import did_you_mean

            hint = did_you_mean(args[0], _COMMANDS) or f"The commands are {', '.join(_COMMANDS)}."
            raise click.UsageError(f"There is no command {args[0]}. {hint}", ctx)
        name, command, rest = super().resolve_command(ctx, args)
        if command is not None:
            _say_once(command, click.Context(command, ctx, name), rest)
        return name, command, rest

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(_COMMANDS.items()))

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        formatter.write_paragraph()
        formatter.write_text("Begin with: upright demo")


def _say_once(command: click.Command, ctx: click.Context, arguments: list[str]) -> None:
    """Refuse an option that takes one value and stands twice: the first would be dropped."""
    try:
        _, _, said = command.make_parser(ctx).parse_args(list(arguments))
    except click.UsageError:
        return  # told when the command reads its arguments
    for option in said:
        if isinstance(option, click.Option) and not (option.multiple or option.is_flag) and said.count(option) > 1:
            raise click.UsageError(f"{option.opts[0]} is given twice. Say it once.", ctx)


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="upright", message="upright %(version)s")
@click.pass_context
def main(ctx: click.Context, /, **_: Any) -> None:
    """Function blocks for controllers: a library of them, checked and run with no machine.

    Blocks are IEC 61131-3 Structured Text. Their cases are tables of inputs and expected outputs
    over time.
    """
    gc.disable()  # a library is a million small objects that live as long as the program
    ctx.with_resource(asked_by(lambda parameter: _OPTIONS.get(parameter) or f"--{parameter.replace('_', '-')}"))
