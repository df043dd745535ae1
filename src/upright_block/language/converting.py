"""Units in another form: bodies of statements as rungs, and bodies of rungs as statements; all else stays as it is
written.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from upright_block.language import syntax, typed
from upright_block.language.formatting import formatted
from upright_block.language.lexer import Tokens, tokenize
from upright_block.language.plain import plain
from upright_block.language.printing import body_lines, expression_text, program_head, program_lines
from upright_block.language.rungs import Maker, Notes, condition_of, laid_out
from upright_block.language.rungs.notes import Note
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit, laid
from upright_block.language.telling.findings import Findings
from upright_block.language.typed import Unit


class TooDeep(Exception):
    """The rungs of a unit are nested deeper than statements may be."""


def unit_text(unit: Unit, form: str, *, folds: bool = False) -> str:
    """A unit as ``text`` or as a ``ladder``, whatever it is written as. With ``folds`` rungs that are too wide are
    carried on in the next one.

    Raises:
        TooDeep: it has rungs that no statements can be as deep as.
    """
    if unit.is_wired:
        return "\n".join(_table_lines(unit, form, folds)) + "\n"
    whole, source = unit.syntax.whole, unit.source
    edits = converted(unit, form, folds=folds)
    made = laid([Edit(source, 0, 0, ""), *edits])[source.path].after
    ending = len(source.text) - whole.end
    lines = made[whole.start : len(made) - ending].splitlines()
    home = unit.syntax.home
    head = [f"NAMESPACE {home.namespace}"] * bool(home.namespace) + [f"USING {name};" for name in home.using]
    comment = [f"// {line}" for line in unit.comment.splitlines()]
    tail = ["END_NAMESPACE"] * bool(home.namespace)
    return "\n".join([*head, *comment, *lines, *tail]) + "\n"


def _table_lines(unit: Unit, form: str, folds: bool) -> Iterable[str]:
    if form == "text":
        return program_lines(unit)
    turn = _Turn(unit, form, folds, tokenize(unit.source, Findings()))
    (lines,) = turn.as_rungs([(unit.syntax.body, syntax.Span(0, 0))])
    return [*program_head(unit), *turn.declared(), "", *lines, "END_PROGRAM"]


def converted(unit: Unit, form: str, *, folds: bool = False) -> list[Edit]:
    """What makes the bodies of a unit those of ``text``, or of a ``ladder``, in the source that they stand in.

    Raises:
        TooDeep: it has rungs that no statements can be as deep as.
    """
    tokens = tokenize(unit.source, Findings())
    parts = (unit, *unit.methods.values())
    return [edit for part in parts for edit in _Turn(part, form, folds, tokens).edits()]


def _bodies(unit: syntax.Unit) -> Iterator[tuple[tuple[syntax.Statement, ...], syntax.Span]]:
    yield unit.body, unit.written
    for action in unit.sequence.actions if unit.sequence is not None else ():
        yield action.body, action.written


_REST = re.compile(r"[ \t]*(?://[^\n]*|\(\*(?:[^*\n]|\*(?!\)))*\*\)[ \t]*)?(?=\n)")


def _after_line(text: str, start: int) -> int:
    """Where what stands behind the end of a declaration ends, if that is a comment or nothing."""
    found = _REST.match(text, start)
    return found.end() if found else start


def _indented(
    text: str, first: syntax.Statement, span: syntax.Span, declared: Sequence[str], lines: Iterable[str]
) -> str:
    """Lines in place of a body, as far to the right as its first one, behind declarations where its end stands."""
    head = text[span.start : span.end].lstrip("\n")
    gap = "\n" if text.startswith("\n\n", span.start) else ""
    blanks = re.match(r"[ \t]*", text[text.rfind("\n", 0, first.start) + 1 :] if not span.is_ladder else head)
    assert blanks is not None
    end = text[text.rfind("\n", 0, span.end) + 1 : span.end]
    end = end if not end.strip() else ""
    before = [end + line for line in declared] + [""] * bool(declared)
    inside = "".join(line.rstrip() + "\n" for line in (*before, *(blanks[0] + line for line in lines)))
    return f"\n{'' if declared else gap}{inside}{end}"


class _Turn:
    """Turns the bodies of a unit."""

    def __init__(self, unit: typed.Unit, form: str, folds: bool, tokens: Tokens) -> None:
        self.unit = unit
        self.is_drawn = form == "ladder"
        self.folds = folds
        self.tokens = tokens
        self.maker = Maker(unit)
        self.known = {word.upper() for word in re.findall(r"\w+", unit.source.text)}
        self.names: dict[str, str] = {}

    def edits(self) -> Iterator[Edit]:
        """What is put in place of the bodies that have another form, and what declares all that they need besides."""
        sequence, source = self.unit.syntax.sequence, self.unit.source
        turned = [
            (statements, syntax.Span(_after_line(source.text, span.start), span.end, span.is_ladder))
            for statements, span in _bodies(self.unit.syntax)
            if statements and span.is_ladder != self.is_drawn
        ]
        made = self.as_rungs(turned) if self.is_drawn else [self._as_statements(*each) for each in turned]
        for (statements, span), lines in zip(turned, made, strict=True):
            declared = self.declared() if sequence is None else []
            yield Edit(source, span.start, span.end, _indented(source.text, statements[0], span, declared, lines))
        for transition in sequence.transitions if sequence is not None else ():
            span = transition.written
            if span.is_ladder != self.is_drawn and (text := self._condition(transition)):
                yield Edit(source, span.start, span.end, text)
        if sequence is not None and (declared := self.declared()):
            at = source.text.rfind("\n", 0, sequence.start) + 1
            yield Edit(source, at, at, "".join(f"{line}\n" for line in (*declared, "")))

    def declared(self) -> list[str]:
        """The lines that declare what the bodies that were turned need besides what is declared."""
        if self.is_drawn:
            copies = [f"    {copy.name} : {copy.type};  // {copy.comment}" for copy in self.maker.copies]
            return ["VAR_TEMP", *copies, "END_VAR"] if copies else []
        return [self._renamed(line) for section in self.unit.syntax.sections for line in _hidden(section, self.unit)]

    # --- as rungs ---

    def as_rungs(self, bodies: Sequence[tuple[Sequence[syntax.Statement], syntax.Span]]) -> list[list[str]]:
        """The lines of rungs in place of statements, below the comments that belong to them; all have one width."""
        notes = [Notes(self.tokens, span) for _, span in bodies]
        drawn = [
            self.maker.drawn(statements, own.apart(), folds=self.folds)
            for (statements, _), own in zip(bodies, notes, strict=True)
        ]
        laid_rungs = iter(laid_out([each.end for body in drawn for each in body]))
        found: list[list[str]] = []
        for body, own in zip(drawn, notes, strict=True):
            lines: list[str] = []
            for each in body:
                lines += ["", *_lines(own.until(each.stop)), *next(laid_rungs).lines]
            if rest := _lines(own.rest()):
                lines += ["", *rest]
            found.append(lines[1:])
        return found

    def _condition(self, transition: syntax.Transition) -> str:
        """The condition of a transition in the form; empty where a ladder cannot say it."""
        notes = _lines(Notes(self.tokens, transition.written).rest())
        if not self.is_drawn:
            return "\n".join([f" := {expression_text(transition.condition)};", *notes, ""])
        end = condition_of(transition.condition)
        return "" if end is None else "\n".join([" :", *notes, *laid_out([end])[0].lines, ""])

    # --- as statements ---

    def _as_statements(self, statements: Sequence[syntax.Statement], span: syntax.Span) -> list[str]:
        """The lines of statements in place of rungs, below the comments that belong to them.

        Raises:
            TooDeep: they are nested deeper than statements may be.
        """
        notes = Notes(self.tokens, span)
        own = [used.name.upper() for used in self.unit.uses.values() if {"EN", "ENO"} & used.variables.keys()]
        lines: list[str] = []
        begun = 0
        for number, statement in enumerate(statements):
            if before := _lines(notes.before(_first_place(statement))):
                lines += [*body_lines(plain(statements[begun:number], own)), "", *before]
                begun = number
        lines += [*body_lines(plain(statements[begun:], own)), *_lines(notes.rest())]
        text = formatted(Source("", "\n".join(["PROGRAM x", *map(self._renamed, lines), "END_PROGRAM", ""])))
        if text is None:
            raise TooDeep
        return text.splitlines()[1:-1]

    def _renamed(self, line: str) -> str:
        """A line with names that nobody has used for what nobody wrote."""

        def renamed(found: re.Match[str]) -> str:
            if found[0] not in self.names:
                name = f"{found[1]}_{self.unit.name}" if self.unit.base is not None else found[1]
                while name.upper() in self.known:
                    name += "_"
                self.known.add(name.upper())
                self.names[found[0]] = name
            return self.names[found[0]]

        return _HIDDEN.sub(renamed, line)


def _lines(notes: Iterable[Note]) -> list[str]:
    return [line for note in notes for line in note.lines()]


def _first_place(node: syntax.Statement) -> int:
    """Where the element of a rung stands that a statement comes from; of one behind a jump the first one there."""
    while isinstance(node, syntax.If) and node.branches[0].body and node.branches[0].body[0].start > node.start:
        node = node.branches[0].body[0]
    return node.start


_HIDDEN = re.compile(r":([a-z]+[0-9]+):\w*")


def _hidden(section: syntax.VariableSection, unit: typed.Unit) -> Iterator[str]:
    """The lines that declare what rungs need besides what is declared."""
    own = [declared for declared in section.declarations if _HIDDEN.fullmatch(declared.name)]
    if own:
        yield section.section
        yield from (f"    {each.name} : {unit.variables[each.name.upper()].type};" for each in own)
        yield "END_VAR"
