"""The options of the commands that drive what they run by hand."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, NoReturn, TypeVar, cast

import click

from upright_block import BadWishes, UprightError, Wishes
from upright_block.cli.common import show_findings, show_lines, stop

F = TypeVar("F", bound=Callable[..., Any])

_OPTIONS = [
    click.option("--for", "span", metavar="TIME", help="How long to run. Default: 10s, or up to an hour with --until."),
    click.option(
        "--until", metavar="EXPRESSION", help="Run until this is TRUE after a scan; private data may be named too."
    ),
    click.option(
        "--set", "set_", metavar="PIN=VALUE@TIME", multiple=True, help="Drive an input, or write anything else once."
    ),
    click.option(
        "--pulse", metavar="PIN@TIME:WIDTH", multiple=True, help="TRUE for a while, then what it would have had."
    ),
    click.option("--force", metavar="PIN=VALUE@TIME", multiple=True, help="Hold at a value, against the program."),
    click.option("--release", metavar="PIN@TIME", multiple=True, help="End a force."),
    click.option(
        "--given", metavar="NAME=VALUE", multiple=True, help="A constant, a setting or data, before the first scan."
    ),
    click.option("--scan", metavar="TIME", help="The time of a scan of a block or a program."),
]


def driving_options(command: F) -> F:
    """Give a command the options that drive what it runs, as its argument ``wishes``."""

    @wraps(command)
    def with_wishes(
        span: str | None,
        until: str | None,
        set_: tuple[str, ...],
        pulse: tuple[str, ...],
        force: tuple[str, ...],
        release: tuple[str, ...],
        given: tuple[str, ...],
        scan: str | None,
        **options: Any,
    ) -> Any:
        wishes = Wishes(
            set=set_, pulse=pulse, force=force, release=release, given=given, span=span, until=until, scan=scan
        )
        return command(wishes=wishes, **options)

    made: Any = with_wishes
    for option in reversed(_OPTIONS):
        made = option(made)
    return cast("F", made)


def say_later(wishes: Wishes, time: int) -> None:
    """Say what of the options does not matter yet at a moment."""
    later = [text for text, _ in wishes.behind(time)]
    if later:
        show_lines([[], [(f"{', '.join(later)}: does not matter yet.", "dim")]])


def refused(problem: UprightError, show_all: bool = False) -> NoReturn:
    """End the call because what it asks for cannot be."""
    if isinstance(problem, BadWishes):
        show_findings(problem.findings, show_all, is_refusal=True)
        raise SystemExit(2) from None
    stop(problem.message, problem.way_out)
