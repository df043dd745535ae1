"""The desk in a terminal: what `panes` has, drawn by ``textual``, and keys and typed lines for the desk."""

from __future__ import annotations

import asyncio
import os
import signal
import sys
import time
from contextlib import suppress
from typing import ClassVar

from rich.text import Text
from textual import events
from textual.app import App, ComposeResult
from textual.widgets import Static

from upright_block.desk import panes
from upright_block.desk.desk import Desk
from upright_block.language.nodes import state
from upright_block.reports import Line, Role, visible

_STYLES: dict[Role, str] = {
    "": "",
    "good": "green",
    "bad": "bold red",
    "warn": "yellow",
    "dim": "#8c8c8c",
    "strong": "bold",
    "name": "cyan",
}
_WIDE = 120
"""Columns from which on the watch list stands at the right."""
_TICK = 0.05
_LOOK = 1.0
_PAGE = 6
_MOVES = {"up": -1, "down": 1}
_ASIDE = {"left": -1, "right": 1}
_NAMED = {"enter": "Enter", "backspace": "Backspace", "slash": "/", "question_mark": "?"}


def painted(line: Line) -> Text:
    """A line for the terminal; what it would not show as itself stands as an escape."""
    return Text.assemble(*((visible(part), _STYLES[role]) for part, role in line), no_wrap=True, end="")


@state
class Typed:
    """A line that is being typed, with the place of the cursor; ``before`` are lines that were sent."""

    text: str
    at: int
    before: list[str]

    def insert(self, text: str) -> None:
        """Put a text where the cursor is."""
        self.text = self.text[: self.at] + text + self.text[self.at :]
        self.at += len(text)

    def press(self, key: str, character: str | None) -> None:
        """What a key does to it."""
        if key == "backspace" and self.at:
            self.text = self.text[: self.at - 1] + self.text[self.at :]
            self.at -= 1
        elif key == "delete":
            self.text = self.text[: self.at] + self.text[self.at + 1 :]
        elif key in ("left", "right"):
            self.at = min(max(self.at + _ASIDE[key], 0), len(self.text))
        elif key in ("home", "end"):
            self.at = 0 if key == "home" else len(self.text)
        elif key == "up" and self.before:
            self.text = self.before.pop()
            self.at = len(self.text)
        elif character is not None:
            self.insert(character)

    def shown(self, width: int) -> Text:
        """The line with its cursor, as much as there is room for."""
        begin = max(self.at - width + 4, 0)
        before, after = visible(self.text[begin : self.at]), visible(self.text[self.at + 1 :])
        under = visible(self.text[self.at : self.at + 1]) or " "
        return Text.assemble((" : ", "bold"), before, (under, "reverse"), after, no_wrap=True, end="")


class Screen(App[None]):
    """A desk on a screen."""

    CSS: ClassVar[str] = """
    Screen { layout: vertical; }
    #body { height: 1fr; }
    #on { height: 1; background: $surface; }
    #keys { height: 1; background: $surface; }
    """
    ENABLE_COMMAND_PALETTE = False
    AUTO_FOCUS = ""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.scrolled = 0
        self.is_large = False
        self.typed: Typed | None = None
        self.sent: list[str] = []
        self.rows: list[int] = []
        self.before = time.monotonic()

    def compose(self) -> ComposeResult:
        yield Static(id="body")
        yield Static(id="on")
        yield Static(id="keys")

    def on_mount(self) -> None:
        self.set_interval(_TICK, self._tick)
        if sys.stdin.isatty():
            self.set_interval(_LOOK, self._leave_if_alone)
        for name in ("SIGHUP", "SIGTERM"):
            with suppress(AttributeError, NotImplementedError, RuntimeError, ValueError):
                asyncio.get_running_loop().add_signal_handler(getattr(signal, name), self.exit)
        self.draw()

    def _tick(self) -> None:
        now = time.monotonic()
        seconds, self.before = now - self.before, now
        was_going = self.desk.is_going
        if self.desk.tick(seconds) or was_going != self.desk.is_going:
            self.draw()

    def _leave_if_alone(self) -> None:
        """Leave when the terminal is gone: nobody reads what is drawn, and input that has ended is never quiet."""
        try:
            os.tcgetpgrp(sys.stdin.fileno())
        except (OSError, ValueError):
            self.exit()
        except AttributeError:  # a system that has no such thing
            return

    # --- what is seen ---

    def draw(self) -> None:
        """Draw all of it, as the desk is now."""
        width, height = self.size.width, self.size.height
        if width < 20 or height < 10:
            return
        desk, room = self.desk, height - 3
        under = room * 2 // 3 if self.is_large else room * 3 // 7
        above = room - under
        lines = [panes.status(desk, width)]
        if width >= _WIDE:
            left = width * 2 // 3
            desk.pane = "lanes" if desk.pane == "watch" else desk.pane
            found = panes.text(desk, left - 1, above)
            heads: list[Line] = [[("watched", "strong")]]
            beside = [*heads, *panes.watch(desk, width - left - 2, above - 1)]
            lines += panes.side_by_side([row for _, row in found], beside, left, above)
        else:
            found = panes.text(desk, width, above)
            lines += panes.padded([row for _, row in found], above)
        self.rows = [line for line, _ in found]
        lines += panes.lower(desk, width, under, self.scrolled, self._picked(), width >= _WIDE)
        self.query_one("#body", Static).update(Text("\n").join(map(painted, lines)))
        self.query_one("#keys", Static).update(painted(panes.keys(width)))
        own = painted(panes.cursor(desk, width)) if self.typed is None else self.typed.shown(width)
        self.query_one("#on", Static).update(own)

    def _picked(self) -> list[str] | None:
        """What is offered while a signal is picked."""
        typed = self.typed
        return self.desk.picks(typed.text.removeprefix("pick ")) if typed and typed.text.startswith("pick ") else None

    # --- keys and lines ---

    def on_key(self, event: events.Key) -> None:
        event.stop()
        event.prevent_default()
        if self.typed is None:
            self._pressed(event)
        elif event.key in ("enter", "ctrl+j"):
            self._send(self.typed.text)
        elif event.key == "escape":
            self.typed = None
            self.desk.offered = ""
        else:
            self.typed.press(event.key, event.character if event.is_printable else None)
        self.draw()

    def on_paste(self, event: events.Paste) -> None:
        if self.typed is not None:
            self.typed.insert(" ".join(event.text.split()))
            self.draw()

    def _pressed(self, event: events.Key) -> None:
        desk, key = self.desk, event.key
        if key in _MOVES:
            desk.move(_MOVES[key])
        elif key in _ASIDE:
            desk.choose_next(_ASIDE[key])
        elif event.character in ("[", "]"):
            desk.choose_watched(1 if event.character == "]" else -1)
        elif key in ("tab", "shift+tab"):
            known = panes.PANES[1:] if self.size.width >= _WIDE else panes.PANES
            at = known.index(desk.pane) + (1 if key == "tab" else -1)
            desk.pane, self.scrolled = known[at % len(known)], 0
        elif key in ("pagedown", "pageup"):
            is_log = desk.pane == "log"
            self.scrolled = max(self.scrolled + (_PAGE if (key == "pagedown") != is_log else -_PAGE), 0)
        elif key == "z":
            self.is_large = not self.is_large
        elif event.character == ":":
            self._open("")
        else:
            pane = desk.pane
            if desk.press(_NAMED.get(key, event.character or key)) and desk.pane != pane:
                self.scrolled = 0
            self._after()

    def _after(self) -> None:
        """What a line may leave: an offered one, or the end."""
        if self.desk.is_left:
            self.exit()
        elif self.desk.offered:
            self._open(self.desk.offered)

    def _open(self, text: str) -> None:
        self.typed = Typed(text, len(text), [*self.sent])

    def _send(self, text: str) -> None:
        picks = self._picked()
        self.typed = None
        if text.strip():
            self.sent.append(text)
            self.desk.say(f"pick {picks[0]}" if picks else text)
            self.scrolled = 0
        self._after()

    def on_click(self, event: events.Click) -> None:
        row = event.screen_y - 1
        if 0 <= row < len(self.rows) and self.rows[row] and event.screen_x < self.size.width * 2 // 3:
            self.desk.line = self.rows[row]
            self.desk.choose_next(0)
            self.draw()

    def on_mouse_scroll_down(self) -> None:
        self.desk.move(1)
        self.draw()

    def on_mouse_scroll_up(self) -> None:
        self.desk.move(-1)
        self.draw()

    def on_resize(self) -> None:
        self.draw()
