"""The lines that can be typed at a desk, each with its key, if it has one."""

from __future__ import annotations

from upright_block.language.nodes import record


@record
class Word:
    """A word that begins a line: what follows it, the key that is short for it, and what it does.

    Of one that ``takes`` a signal that of the cursor is meant where none follows.
    """

    word: str
    form: str
    key: str
    does: str
    takes: bool = False


WORDS = (
    Word("go", "[TIME]", "g", "goes on, for so long where a time follows"),
    Word("until", "EXPRESSION", "", "goes on until it is TRUE after a scan, and shows the lanes before it"),
    Word("pause", "", "p", "stops between two scans"),
    Word("scan", "[COUNT]", "n", "runs a scan, or finishes the one at hand"),
    Word("step", "", "s", "runs one statement, into what it calls"),
    Word("over", "", "o", "runs one statement with all that it calls"),
    Word("back", "[over]", "b", "undoes one statement, and what was done behind it"),
    Word("wrote", "[SIGNAL]", "", "goes back to just behind the last statement that wrote it", takes=True),
    Word("to", "TIME", "", "goes to the moment before the scan at that time, back or on"),
    Word("again", "", "a", "takes up the scans again that going back has left"),
    Word("pace", "machine|FACTOR", "", "machine time, or as fast as the clock: 1, or a multiple of it"),
    Word("set", "SIGNAL=VALUE", "", "gives a value once; an input keeps it"),
    Word("toggle", "[SIGNAL]", "t", "TRUE to FALSE, or back", takes=True),
    Word("push", "[SIGNAL] [TIME]", "u", "TRUE for 500ms, or for so long", takes=True),
    Word("force", "SIGNAL=VALUE", "f", "holds it at a value, against the program"),
    Word("release", "[SIGNAL]|all", "r", "ends a force, or all of them", takes=True),
    Word("forces", "", "F", "lists what is forced, and offers to release it"),
    Word("power", "off|on|cold|stop|run", "", "as in a column power of a case"),
    Word("why", "[SIGNAL]", "w", "why it has its value", takes=True),
    Word("pick", "PART", "/", "puts the cursor on the signal whose path has that part, and watches it"),
    Word("watch", "[PATTERNS]", "", "adds to the watch list", takes=True),
    Word("unwatch", "[PATTERNS]", "x", "takes off the watch list", takes=True),
    Word("list", "NAME", "", "watches what desk/NAME.txt of the library names"),
    Word("lanes", "[TIME]", "", "shows what is watched over time, the last so long"),
    Word("changed", "[PATTERNS]", "", "lists what differs from its initial value"),
    Word("open", "[INSTANCE]", "Enter", "shows the text of an instance, or of what the line calls"),
    Word("up", "", "Backspace", "shows the text of what holds the instance"),
    Word("ladder", "", "l", "shows the text as rungs with what conducts, or as it was"),
    Word("writers", "[SIGNAL]", "", "lists the statements that write it, and goes to the first", takes=True),
    Word("readers", "[SIGNAL]", "", "lists the statements that read it", takes=True),
    Word("start", "TARGET [TIME]", "", "begins anew, as a block, a configuration or a case does, and goes to a time"),
    Word("keep", "case FILE/NAME", "", "makes what was done a case, and shows the difference"),
    Word("keep", "initials PATTERNS", "", "makes values that are there now initial values, and shows the difference"),
    Word("keep", "list NAME", "", "makes the watch list desk/NAME.txt, and shows the difference"),
    Word("write", "", "", "writes what keep has shown"),
    Word("help", "", "?", "lists these lines"),
    Word("quit", "", "q", "leaves; the session is kept"),
)
"""All of them, in the order in which they are told."""
KEYS = {word.key: word for word in WORDS if word.key}
"""By the key that is short for one."""
