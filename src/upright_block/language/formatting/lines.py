"""The tokens of a source taken apart into lines: what stands in a line of its own, how far it is indented, what it is
below.

The syntax tree says where bodies, labels and types begin; keywords say the rest.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

from upright_block.language import syntax
from upright_block.language.formatting.breaking import COLUMNS, STEP, Atom, Piece, broken, is_one_line, text_of
from upright_block.language.formatting.columns import TextLine
from upright_block.language.lexer import KEYWORDS, Tokens
from upright_block.language.nodes import record, state
from upright_block.language.parsing.expressions import PRECEDENCE
from upright_block.language.types import ELEMENTARY

_LONG_NAME = 30
_LONG_TYPE = 40
_UNITS = ("FUNCTION", "FUNCTION_BLOCK", "PROGRAM", "CLASS", "INTERFACE", "METHOD")
_AROUND = ("NAMESPACE", "CONFIGURATION", "RESOURCE")
_SECTIONS = frozenset(kind for kind in KEYWORDS if kind == "VAR" or kind.startswith("VAR_"))
_QUALIFIERS = ("CONSTANT", "RETAIN", "NON_RETAIN", "PUBLIC", "PRIVATE", "PROTECTED", "INTERNAL")
_UNTIL = {"IF": "THEN", "FOR": "DO", "WHILE": "DO", "CASE": "OF"}
"""What the line of a keyword ends with, where it opens others."""
_OPERANDS = (
    "name",
    "int",
    "real",
    "typed",
    "string",
    "address",
    "TRUE",
    "FALSE",
    "NULL",
    "THIS",
    "SUPER",
    ")",
    "]",
    "^",
)
"""What an operand ends with."""
_TIGHT_BEFORE = (";", ",", ")", "]", ".", "..", "^")
_TIGHT_AFTER = ("(", "[", ".", "..")


@record
class _Note:
    """A comment or a pragma: its place, and whether it ends its line."""

    start: int
    end: int
    ends_line: bool


@state
class _Open:
    """What is open: its keyword, where its own lines begin and where those in it do, and the unit whose comments stand
    in one column.
    """

    kind: str
    indent: int
    inner: int
    unit: object = None


class Reader:
    """Takes the tokens of a source line by line."""

    def __init__(self, tokens: Tokens, file: syntax.File) -> None:
        self.kinds = tokens.kinds
        self.texts = tokens.texts
        self.starts = tokens.starts
        self.source = tokens.source
        self.text = tokens.source.text
        self.i = 0
        self.notes = _notes(tokens)
        self.bodies, self.labels, self.types = set[int](), set[int](), set[int]()
        for node in syntax.within(file):
            if isinstance(node, (syntax.Unit, syntax.Action)) and node.body:
                self.bodies.add(node.body[0].start)
            elif isinstance(node, syntax.Arm):
                self.labels.add(node.labels[0].start)
            elif isinstance(node, syntax.TypeName):
                self.types.add(node.start)
        self.lines: list[TextLine] = []
        self.is_opened = True  # nothing but an END may follow at once without an empty line before it
        self.labelled: object = None
        self.open = [_Open("", 0, 0)]

    def all(self) -> list[TextLine]:
        """All lines of the source."""
        while self.kinds[self.i] != "end":
            self._next()
        self._above(self.notes[self.i], 0, is_end=False, separates=False)
        return self.lines

    # --- what a line is ---

    def _next(self) -> None:
        kind, top = self.kinds[self.i], self.open[-1]
        if kind.startswith("END_"):
            self._end(kind)
        elif kind in _UNITS and (kind != "PROGRAM" or top.kind not in ("CONFIGURATION", "RESOURCE")):
            self._unit(kind)
        elif kind in _SECTIONS or kind == "TYPE":
            end = self.i + 1
            while self.kinds[end] in _QUALIFIERS:
                end += 1
            self._opens(kind, end, top.inner, top.inner + STEP, self._unit_around() or object())
        elif kind in _AROUND:
            self._opens(kind, self._end_of_head(), top.inner, top.inner + STEP, object())
        elif top.kind in _SECTIONS or top.kind in ("TYPE", "STRUCT"):
            self._declaration(top)
        elif kind in ("STEP", "INITIAL_STEP", "ACTION"):
            self._opens(kind, self._after(":"), top.inner, top.inner + STEP, self._unit_around())
        elif kind == "TRANSITION":
            self._opens(kind, self._after(";"), top.inner, top.inner)
        elif top.kind in ("", *_AROUND, "STEP", "INITIAL_STEP"):
            self._line(self._after(";"), top.inner)
        else:
            self._statement(kind, top)

    def _unit_around(self) -> object:
        return next((opened.unit for opened in reversed(self.open) if opened.unit is not None), None)

    def _unit(self, kind: str) -> None:
        """The head of a unit, up to the first line of what it has."""
        end = self.i + 1
        stops = (*_SECTIONS, "METHOD", "USING", "STEP", "INITIAL_STEP", "TRANSITION", "ACTION", f"END_{kind}")
        while self.kinds[end - 1] != ";" and self.kinds[end] not in stops and self.starts[end] not in self.bodies:
            end += 1
        indent = self.open[-1].inner + (STEP if kind == "METHOD" else 0)
        self._opens(kind, end, indent, indent, object())

    def _end_of_head(self) -> int:
        """The end of ``NAMESPACE A.B``, ``CONFIGURATION a``, ``RESOURCE r ON type``."""
        end = self.i + 1 + (self.kinds[self.i + 1] == "INTERNAL")
        end += self.kinds[end] == "name"
        while self.kinds[end] == "." or (self.kinds[end] == "name" and self.texts[end].upper() == "ON"):
            end += 2
        return end + (self.kinds[end] == ";")

    def _opens(self, kind: str, end: int, indent: int, inner: int, unit: object = None) -> None:
        is_described = kind in ("STEP", "INITIAL_STEP")
        self._line(end, indent, unit=unit if is_described else None, separates=kind in (*_UNITS, *_AROUND, "TYPE"))
        self.open.append(_Open(kind, indent, inner, unit))
        self.is_opened = True

    def _end(self, kind: str) -> None:
        """An END with what belongs to it: a semicolon, or the initial value of a structure."""
        if self.open[-1].kind == "label":
            self.open.pop()
        top, end = self.open.pop(), self.i + 1
        if kind == "END_STRUCT" and self.kinds[end] == ":=":
            end = self._after(";")
        end += self.kinds[end] == ";" and self.kinds[end - 1] != ";"
        self._line(end, top.indent, closes=top)

    def _declaration(self, top: _Open) -> None:
        """A declaration, or the head of one whose fields follow."""
        end, depth = self.i, 0
        while self.kinds[end] != "STRUCT" and (depth or self.kinds[end] != ";"):
            depth += (self.kinds[end] in ("(", "[")) - (self.kinds[end] in (")", "]"))
            end += 1
        opens = self.kinds[end] == "STRUCT"
        self._line(end + 1, top.inner, group=top, unit=self._unit_around(), cuts=self._columns(end))
        if opens:
            self.open.append(_Open("STRUCT", top.inner, top.inner + STEP))
            self.is_opened = True

    def _columns(self, end: int) -> list[int]:
        """Where the type of a declaration begins, and the sign before its initial value."""
        found, depth = list[int](), 0
        for token in range(self.i, end):
            depth += (self.kinds[token] in ("(", "[")) - (self.kinds[token] in (")", "]"))
            if not depth and self.kinds[token] == (":=" if found else ":"):
                found.append(token)
        names, type_ = ((*found, end, end)[n] - b for n, b in ((0, self.i), (1, found[0] if found else end)))
        long = len("".join(self.texts[self.i : self.i + names])) > _LONG_NAME
        return [] if long or (found and len(self._plain(found[0], found[0] + type_)) > _LONG_TYPE) else found[:2]

    def _statement(self, kind: str, top: _Open) -> None:
        is_label = self.starts[self.i] in self.labels
        if top.kind == "label" and (is_label or kind == "ELSE"):
            self.open.pop()
            top = self.open[-1]
        if is_label:
            self._label(top)
        elif kind in ("ELSE", "ELSIF"):
            self._line(self.i + 1 if kind == "ELSE" else self._after("THEN"), top.indent, closes=top)
            self.is_opened, top.inner = True, top.indent + STEP
        elif kind == "UNTIL":
            end = self.i
            while self.kinds[end] != "END_REPEAT":
                end += 1
            self._line(end, top.indent, closes=top)
        elif kind in _UNTIL:
            self._opens(kind, self._after(_UNTIL[kind]), top.inner, top.inner + STEP)
        elif kind == "REPEAT":
            self._opens(kind, self.i + 1, top.inner, top.inner + STEP)
        else:
            self._line(self._after(";"), top.inner)

    def _label(self, top: _Open) -> None:
        """A label of CASE, with its statement where this stands in its line, is the only one and fits."""
        end = self._after(":")
        is_one = self.kinds[end] not in (*_UNTIL, "REPEAT", "ELSE", "END_CASE") and self.starts[end] not in self.labels
        stop = self._after(";", end) if is_one else end
        is_one &= self.starts[stop] in self.labels or self.kinds[stop] in ("ELSE", "END_CASE")
        is_one &= "\n" not in self.text[self.starts[self.i] : self.starts[stop - 1]]
        if is_one and top.inner + len(self._plain(self.i, stop)) <= COLUMNS - STEP:
            self.labelled = self.labelled or object()
            self._line(stop, top.inner, group=self.labelled, cuts=[end])
        else:
            self._line(end, top.inner)
            self.open.append(_Open("label", top.inner, top.inner + STEP))
            self.is_opened = True

    def _after(self, kind: str, begin: int = -1) -> int:
        """The token behind the next one of a kind that stands in no brackets."""
        end, depth = self.i if begin < 0 else begin, 0
        while depth or self.kinds[end] != kind:
            depth += (self.kinds[end] in ("(", "[")) - (self.kinds[end] in (")", "]"))
            end += 1
        return end + 1

    # --- a line, and what stands around it ---

    def _line(
        self,
        end: int,
        indent: int,
        group: object = None,
        unit: object = None,
        closes: _Open | None = None,
        separates: bool = False,
        cuts: Sequence[int] = (),
    ) -> None:
        """Write the tokens up to ``end``, with the comments above them and behind them."""
        begin, is_end = self.i, closes is not None
        inner = indent if closes is None else closes.inner
        self._above(self.notes[begin], inner, is_end, separates)
        blank = self._is_blank_before(begin) and not self.is_opened and not is_end
        # The comment above a unit belongs to it: the empty line stands before that.
        if separates and not self.is_opened and self.lines and not self._follows_comment(begin):
            blank = True
        if blank:
            self.lines.append(TextLine(0, []))
        if group is not self.labelled:
            self.labelled = None
        atoms = self._atoms(begin, end, cuts)
        behind = self._behind(end)
        is_single = is_one_line(atoms) and indent + len(text_of(atoms)) <= COLUMNS
        call = self._call(begin, end)
        if is_single and (call is None or not self._is_broken_by_hand(*call)):
            places = [0, *(cut - begin for cut in cuts), len(atoms)]
            cells = [text_of(atoms[a:b]) for a, b in itertools.pairwise(places)]
            self.lines.append(TextLine(indent, cells, behind, group if len(cells) > 1 else None, unit))
        else:
            pieces = list(
                self._call_lines(atoms, call, begin, indent) if call else broken(atoms, indent, indent + STEP)
            )
            pieces[-1].comment = " ".join(filter(None, (pieces[-1].comment, behind)))
            self.lines += [
                TextLine(piece.indent, [], self._shifted(piece.text, piece.indent))
                if piece.is_comment
                else TextLine(piece.indent, [piece.text], piece.comment)
                for piece in pieces
            ]
        self.i = end
        self.is_opened = False

    def _plain(self, begin: int, end: int) -> str:
        return text_of(self._atoms(begin, end, ()))

    def _is_blank_before(self, token: int) -> bool:
        """Whether an empty line stands right before a token."""
        notes = self.notes[token]
        since = notes[-1].end if notes else self._end_of(token - 1)
        return self.text.count("\n", since, self.starts[token]) > 1

    def _follows_comment(self, token: int) -> bool:
        """Whether a comment in a line of its own stands before a token."""
        return any("\n" in self.text[self._end_of(token - 1) : note.start] or token == 0 for note in self.notes[token])

    def _end_of(self, token: int) -> int:
        return self.starts[token] + len(self.texts[token]) if token >= 0 else 0

    def _above(self, notes: Sequence[_Note], indent: int, is_end: bool, separates: bool) -> None:
        """The comments in lines of their own above the next line; those behind the last one are written already."""
        since = self._end_of(self.i - 1)
        is_behind = self.i > 0
        for note in notes:
            is_behind &= "\n" not in self.text[since : note.start]
            if not is_behind:
                blank = self.text.count("\n", since, note.start) > 1 or separates
                if blank and self.lines and not self.is_opened:
                    self.lines.append(TextLine(0, []))
                written = self._shifted(self.text[note.start : note.end], indent, note.start)
                self.lines.append(TextLine(indent, [], written))
                self.is_opened = separates = False
            since = note.end

    def _behind(self, end: int) -> str:
        """The comments that follow the last token of a line in its line."""
        found, since = list[str](), self._end_of(end - 1)
        for note in self.notes[end]:
            if "\n" in self.text[since : note.start]:
                break
            found.append(self.text[note.start : note.end].rstrip())
            since = note.end
        return " ".join(found)

    def _shifted(self, comment: str, indent: int, start: int | None = None) -> str:
        """A comment whose further lines keep their place below the first."""
        first, *more = comment.rstrip().splitlines()
        if not more or start is None:
            return comment.rstrip()
        line = self.source.line_text(self.source.line(start))[: self.source.column(start) - 1]
        by = indent - len(line.expandtabs(STEP))
        rest = [text.expandtabs(STEP) for text in more]
        moved = [" " * max(0, len(text) - len(text.lstrip()) + by) + text.strip() for text in rest]
        return "\n".join([first, *moved])

    # --- the tokens of a line ---

    def _atoms(self, begin: int, end: int, cuts: Sequence[int]) -> list[Atom]:
        found: list[Atom] = []
        depth = 0
        for token in range(begin, end):
            kind = self.kinds[token]
            depth -= kind in (")", "]")
            atom = Atom(self._spelt(token, depth), self._gap(token, end, cuts) if token > begin else "")
            depth += kind in ("(", "[")
            is_binary = self._is_binary(token) and token > begin
            if is_binary:
                atom.rank = (depth, PRECEDENCE[kind])
                atom.begins = self._is_broken_at(token)
            elif token > begin and self.kinds[token - 1] == ",":
                atom.rank = (depth - (kind in ("(", "[")), 0)
            if token > begin and self.notes[token]:
                self._notes_inside(token, found[-1], atom)
            found.append(atom)
        return found

    def _is_broken_at(self, operator: int) -> bool:
        """Whether a line was broken at an operator: before it, or behind it where no comment stands there."""
        notes = self.notes[operator]
        since = notes[-1].end if notes else self._end_of(operator - 1)
        behind = self.text[self._end_of(operator) : self.starts[operator + 1]]
        is_before = "\n" in self.text[since : self.starts[operator]]
        return is_before or ("\n" in behind and not self.notes[operator + 1])

    def _notes_inside(self, token: int, before: Atom, atom: Atom) -> None:
        """The comments between two tokens of a line: they stay where they are."""
        since, is_behind = self._end_of(token - 1), True
        for note in self.notes[token]:
            text = self.text[note.start : note.end].rstrip()
            is_behind &= "\n" not in self.text[since : note.start]
            if not is_behind:
                atom.above = [*(atom.above or ()), text]
            elif note.ends_line or "\n" in text:
                before.comment, is_behind = f"{before.comment} {text}".lstrip(), False
            else:
                before.text += f" {text}"
                atom.gap = atom.gap or ("" if self.kinds[token] in (";", ",", ")") else " ")
            since = note.end

    def _is_binary(self, token: int) -> bool:
        return self.kinds[token] in PRECEDENCE and token > 0 and self.kinds[token - 1] in _OPERANDS

    def _spelt(self, token: int, depth: int) -> str:
        kind, text = self.kinds[token], self.texts[token]
        is_name = self.kinds[token - 1] == "." or (depth > 0 and self.kinds[token + 1] in (":=", "=>"))
        if kind in KEYWORDS and not is_name:
            return text.upper()
        return text.upper() if self.starts[token] in self.types and text.upper() in ELEMENTARY else text

    def _gap(self, token: int, end: int, cuts: Sequence[int]) -> str:
        """What stands before a token in its line."""
        kind, last = self.kinds[token], self.kinds[token - 1]
        if kind in _TIGHT_BEFORE or last in _TIGHT_AFTER:
            return ""
        if kind == ":":
            return "" if token + 1 in (end, *cuts) and token not in cuts else " "
        if kind == "[":
            return "" if last in _OPERANDS else " "
        if kind == "(":
            is_head = self.starts[token - 1] in self.types or self.kinds[token - 2] in ("TASK", "TRANSITION")
            is_function = last in ("AND", "OR", "XOR", "MOD") and not self._is_binary(token - 1)
            return " " if is_head or not (last in _OPERANDS or is_function) else ""
        if last in ("+", "-") and not self._is_binary(token - 1):
            return ""
        return " "

    # --- calls ---

    def _call(self, begin: int, end: int) -> tuple[int, int] | None:
        """The brackets of the call that a line ends with, where its pins are named."""
        if end - begin < 4 or self.kinds[end - 1] != ";" or self.kinds[end - 2] != ")":
            return None
        depth, token, is_named = 0, end - 2, False
        while token > begin:
            depth += (self.kinds[token] in (")", "]")) - (self.kinds[token] in ("(", "["))
            is_named |= depth == 1 and self.kinds[token] in (":=", "=>")
            if depth == 0:
                break
            token -= 1
        is_call = self.kinds[token] == "(" and self.kinds[token - 1] in _OPERANDS and is_named
        inside = sum(1 if k in "([" else -1 if k in ")]" else 0 for k in self.kinds[begin:token] if k in "()[]")
        return (token, end - 2) if is_call and token > begin and inside == 0 else None

    def _is_broken_by_hand(self, opened: int, closed: int) -> bool:
        return "\n" in self.text[self.starts[opened] : self.starts[closed]]

    def _call_lines(self, atoms: Sequence[Atom], call: tuple[int, int], begin: int, indent: int) -> Iterator[Piece]:
        """A call with a line for each pin."""
        opened, closed = call[0] - begin, call[1] - begin
        yield from broken(atoms[: opened + 1], indent, indent + STEP)
        pins: list[list[Atom]] = [[]]
        depth = 0
        for number in range(opened + 1, closed):
            kind = self.kinds[begin + number]
            depth += (kind in ("(", "[")) - (kind in (")", "]"))
            pins[-1].append(atoms[number])
            if kind == "," and depth == 0:
                pins.append([])
        pins[-1] += atoms[closed:]
        signs = [next((n for n, atom in enumerate(pin) if atom.text in (":=", "=>")), 0) for pin in pins]
        names = [text_of(pin[:sign]) for pin, sign in zip(pins, signs, strict=True)]
        width = max((len(name) for name in names if len(name) <= _LONG_NAME), default=0)
        for pin, sign, name in zip(pins, signs, names, strict=True):
            for comment in pin[0].above or ():
                yield Piece(indent + STEP, comment, is_comment=True)
            pin[0].above = None
            if sign and is_one_line(pin[: sign + 1]):
                lead = f"{name:<{width}}"
                yield from broken(pin[sign:], indent + STEP, indent + 2 * STEP, lead)
            else:
                yield from broken(pin, indent + STEP, indent + 2 * STEP)


def _notes(tokens: Tokens) -> list[list[_Note]]:
    """The comments and pragmas before each token."""
    every = [_Note(c.start, c.end, tokens.source.text.startswith("//", c.start)) for c in tokens.comments]
    every += [_Note(start, end, ends_line=False) for start, end in tokens.pragmas]
    every.sort(key=lambda note: note.start)
    found: list[list[_Note]] = []
    number = 0
    for start in tokens.starts:
        begun = number
        while number < len(every) and every[number].start < start:
            number += 1
        found.append(every[begun:number])
    return found
