"""The program ``upright``, and how it ends where it does not end by itself.

Nothing else is imported before the signals are taken care of.
"""

from __future__ import annotations

import os
import signal
import sys
from contextlib import suppress
from threading import Thread
from typing import NoReturn

_SIGNALS = tuple(getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP") if hasattr(signal, name))
_SHOW_CURSOR = "\r\x1b[K\x1b[?25h"


def program() -> NoReturn:
    """Run the command line. The exit status is that of the command, 2 after a mistake, 128 and the signal after one."""
    _end_on_signals()
    _close(_run())


def _run() -> int:
    try:
        from click import Abort, ClickException

        from upright_block.cli.main import main

        try:
            main(prog_name="upright", standalone_mode=False)
        except ClickException as problem:
            problem.show()
            return problem.exit_code
        except (Abort, KeyboardInterrupt):
            return 128 + signal.SIGINT
    except SystemExit as ended:
        return ended.code if isinstance(ended.code, int) else int(ended.code is not None)
    except OSError as problem:
        return _say(f"{problem.strerror or problem}{f': {problem.filename}' if problem.filename else ''}.")
    except MemoryError:
        return _say("There is not enough memory for this.")
    except Exception as problem:  # noqa: BLE001 - the last net: one line instead of a traceback
        return _report(problem)
    return 0


def _report(problem: Exception) -> int:
    """One line about a mistake of this program, with what helps to find it."""
    if os.environ.get("UPRIGHT_TRACEBACK"):
        raise problem
    last = problem.__traceback__
    while last is not None and last.tb_next is not None:
        last = last.tb_next
    place = f"{os.path.basename(last.tb_frame.f_code.co_filename)}:{last.tb_lineno}" if last else "somewhere"
    what = " ".join(f"{type(problem).__name__} {problem}".split())[:200]
    return _say(
        f"This is a mistake of upright itself: {what} at {place}. Please report this line, with the library "
        "if you can; nothing was changed."
    )


def _say(text: str) -> int:
    from upright_block.reports import visible

    with suppress(OSError, ValueError, AttributeError):  # nobody may be there to be told
        print(f"upright: {visible(text)}", file=sys.stderr)
    return 2


def _close(status: int) -> NoReturn:
    """Flush what was printed; output that cannot be written is a mistake, a reader who left is none."""
    try:
        for stream in (sys.stdout, sys.stderr):
            if stream is not None:
                stream.flush()
    except BrokenPipeError:
        pass
    except OSError as problem:
        status = _say(f"The output could not be written: {problem.strerror}.")
    os._exit(status)


def _end_on_signals() -> None:
    """End at once and in silence at a signal, also while compiled code runs: a thread waits for it."""
    if os.name != "posix":
        return  # there a signal comes as KeyboardInterrupt, between two steps of the interpreter
    reader, writer = os.pipe()
    os.set_blocking(writer, False)
    try:
        for number in _SIGNALS:
            if signal.getsignal(number) is not signal.SIG_IGN:
                signal.signal(number, lambda *_: None)
        signal.set_wakeup_fd(writer, warn_on_full_buffer=False)
    except ValueError:
        return  # not the main thread: somebody else takes care of signals
    Thread(target=_wait_for_signal, args=(reader,), daemon=True).start()


def _wait_for_signal(reader: int) -> None:
    while True:
        number = os.read(reader, 1)[0]
        if number in _SIGNALS:
            break
    whole = sys.modules.get("upright_block.whole")
    if whole is not None:
        whole.drop_unfinished()
    if sys.stderr is not None and sys.stderr.isatty():
        os.write(sys.stderr.fileno(), _SHOW_CURSOR.encode())
    os._exit(128 + number)
