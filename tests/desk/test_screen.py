"""The desk on a screen: keys, typed lines, the mouse, by the screen's own pilot."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from pathlib import Path

from tests.desk.test_desk import BLOCK, CASES
from tests.helpers import write_files
from textual.pilot import Pilot
from textual.widgets import Static

from upright_block import open_library
from upright_block.desk.desk import Desk
from upright_block.desk.screen import Screen

Act = Callable[[Screen, Pilot[None]], Awaitable[None]]


def sit(folder: Path, act: Act, size: tuple[int, int] = (80, 24)) -> Screen:
    """A screen after something was done at it."""
    library = open_library(write_files(folder, {"blocks/latch.st": BLOCK, "cases/latch.toml": CASES}))
    app = Screen(Desk(library, "Latch", scan="100ms"))

    async def done() -> None:
        async with app.run_test(size=size) as pilot:
            await act(app, pilot)
            await pilot.pause()

    asyncio.run(done())
    return app


def seen(app: Screen) -> str:
    return "\n".join(str(app.query_one(name, Static).content) for name in ("#body", "#on", "#keys"))


def test_keys_run_and_show_one_moment(tmp_path: Path) -> None:
    async def act(app: Screen, pilot: Pilot[None]) -> None:
        lines = seen(app).split("\n")
        assert len(lines) == 24
        assert all(len(line) <= 80 for line in lines)
        assert lines[0].startswith(" Latch  0s  before the first scan  PAUSED")
        await pilot.press("t", "n", "n", "s", "s")
        assert "in scan 2, before latch.st:11" in seen(app)
        assert "→ 11   " in seen(app)
        await pilot.press("b", "b")
        assert "after scan 1" in seen(app)
        await pilot.press("down", "right")
        assert app.desk.chosen == "on"
        await pilot.press("w")
        assert "on is 1 at 100ms (scan 1)" in seen(app)
        await pilot.press("tab")
        assert "[help]" in seen(app)
        assert "Tab shows another pane" in seen(app)
        before = seen(app)
        await pilot.press("pagedown")
        assert seen(app) != before

    sit(tmp_path, act)


def test_lines_are_typed_edited_and_offered(tmp_path: Path) -> None:
    async def act(app: Screen, pilot: Pilot[None]) -> None:
        await pilot.press("colon", *"scan 3x", "backspace", "enter")
        assert app.desk.moment == "300ms"
        await pilot.press("colon", *"go", "escape")
        assert app.typed is None
        await pilot.press("colon", "up", "enter")
        assert app.desk.moment == "600ms"
        await pilot.press("slash", *"nt.n")
        assert "1 signals" in seen(app)
        await pilot.press("enter")
        assert app.desk.chosen == "count.n"
        await pilot.press("f")
        assert app.typed is not None
        assert app.typed.text == "force count.n=0"
        await pilot.press("backspace", "7", "enter", "n")
        assert "1 FORCED" in seen(app)
        await pilot.press("F", "enter")
        assert app.desk.forced == {}

    sit(tmp_path, act)


def test_it_goes_on_by_itself_and_pauses(tmp_path: Path) -> None:
    async def act(app: Screen, pilot: Pilot[None]) -> None:
        await pilot.press("g")
        while app.desk.machine.scans < 5:
            await pilot.pause(0.05)
        await pilot.press("p")
        assert not app.desk.is_going

    assert sit(tmp_path, act).desk.fault is None


def test_a_wide_screen_has_the_watch_list_beside_the_text(tmp_path: Path) -> None:
    async def act(app: Screen, pilot: Pilot[None]) -> None:
        await pilot.press("n", "right_square_bracket")
        lines = seen(app).split("\n")
        assert len(lines) == 45
        assert any("│ ▸ reset_it" in line for line in lines)
        assert "[lanes]" in seen(app)
        await pilot.click("#body", offset=(10, 8))
        assert app.desk.line == app.rows[7]

    sit(tmp_path, act, (160, 45))


def test_leaving_ends_it(tmp_path: Path) -> None:
    async def act(app: Screen, pilot: Pilot[None]) -> None:
        await pilot.press("q")

    assert sit(tmp_path, act).desk.is_left


def test_texts_from_outside_are_shown_escaped(tmp_path: Path) -> None:
    async def act(app: Screen, pilot: Pilot[None]) -> None:
        app.desk.say("set on=[bold]\x1b[2J")
        app.draw()
        assert "\x1b" not in seen(app)
        assert "[bold]" in seen(app)

    sit(tmp_path, act)
