"""Units in another form: bodies of statements as rungs, and bodies of rungs as statements; all else stays as it is
written.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from upright_block.language import syntax, typed
from upright_block.language.formatting import formatted
from upright_block.language.lexer import tokenize
from upright_block.language.nodes import record
from upright_block.language.plain import plain
from upright_block.language.printing import body_lines, expression_text, program_head, program_lines
from upright_block.language.rungs import Drawn, condition_of, laid_out, rungs_of
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit, laid
from upright_block.language.telling.findings import Findings
from upright_block.language.typed import Unit


class TooDeep(Exception):
    """The rungs of a unit are nested deeper than statements may be."""


@record
class _Note:
    """A comment, or a pragma, as it is written."""

    start: int
    text: str

    def lines(self) -> list[str]:
        return [line.strip() for line in self.text.splitlines()]


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
    made = _as_rungs(unit, unit.syntax.body, (), folds)
    return [*program_head(unit), *made.declared, "", *made.lines, "END_PROGRAM"]


def converted(unit: Unit, form: str, *, folds: bool = False) -> list[Edit]:
    """What makes the bodies of a unit those of ``text``, or of a ``ladder``, in the source that they stand in.

    Raises:
        TooDeep: it has rungs that no statements can be as deep as.
    """
    notes = _notes(unit.source)
    return [edit for part in (unit, *unit.methods.values()) for edit in _edits(part, form, notes, folds)]


def _notes(source: Source) -> list[_Note]:
    tokens = tokenize(source, Findings())
    places = [(comment.start, comment.end) for comment in tokens.comments] + list(tokens.pragmas)
    return [_Note(start, source.text[start:end]) for start, end in sorted(places)]


def _edits(unit: typed.Unit, form: str, notes: Sequence[_Note], folds: bool) -> Iterator[Edit]:
    sequence, source = unit.syntax.sequence, unit.source
    declared: list[str] = []
    for statements, span in _bodies(unit.syntax):
        if statements and span.is_ladder != (form == "ladder"):
            begin = _after_line(source.text, span.start)
            own = [note for note in notes if begin <= note.start < span.end]
            is_drawn = form == "ladder"
            made = _as_rungs(unit, statements, own, folds) if is_drawn else _as_statements(unit, statements, own)
            declared += made.declared
            before = made.declared if sequence is None else []
            yield Edit(source, begin, span.end, _indented(source.text, statements[0], span, begin, before, made.lines))
    for transition in sequence.transitions if sequence is not None else ():
        span = transition.written
        own = [note for note in notes if span.start <= note.start < span.end]
        if span.is_ladder != (form == "ladder") and (text := _condition(transition, form, own)):
            yield Edit(source, span.start, span.end, text)
    if sequence is not None and declared:
        at = source.text.rfind("\n", 0, sequence.start) + 1
        yield Edit(source, at, at, "".join(f"{line}\n" for line in (*declared, "")))


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
    text: str, first: syntax.Statement, span: syntax.Span, begin: int, declared: Sequence[str], lines: Iterable[str]
) -> str:
    """Lines in place of a body, as far to the right as its first one, behind declarations where its end stands."""
    head = text[begin : span.end].lstrip("\n")
    gap = "\n" if text.startswith("\n\n", begin) else ""
    blanks = re.match(r"[ \t]*", text[text.rfind("\n", 0, first.start) + 1 :] if not span.is_ladder else head)
    assert blanks is not None
    end = text[text.rfind("\n", 0, span.end) + 1 : span.end]
    end = end if not end.strip() else ""
    before = [end + line for line in declared] + [""] * bool(declared)
    inside = "".join(line.rstrip() + "\n" for line in (*before, *(blanks[0] + line for line in lines)))
    return f"\n{'' if declared else gap}{inside}{end}"


@record
class _Made:
    """The lines of a body, and those that declare what it needs besides."""

    lines: list[str]
    declared: list[str]


# --- as rungs ---


def _as_rungs(unit: typed.Unit, statements: Sequence[syntax.Statement], notes: Sequence[_Note], folds: bool) -> _Made:
    apart = [note.start for note in notes if not _is_behind(note, unit.source)]
    drawn, copies = rungs_of(unit, statements, apart, folds=folds)
    laid_first = [laid_out(each.end) for each in drawn]
    width = max(len(each.lines[0]) for each in laid_first)
    waiting = list(notes)
    lines: list[str] = []
    for each in drawn:
        lines.append("")
        while waiting and _belongs(waiting[0], each, unit.source):
            lines += waiting.pop(0).lines()
        lines += laid_out(each.end, width).lines
    if waiting:
        lines += ["", *(line for note in waiting for line in note.lines())]
    declared = [f"    {copy.name} : {copy.type};  // {copy.comment}" for copy in copies]
    return _Made(lines[1:], ["VAR_TEMP", *declared, "END_VAR"] if declared else [])


def _is_behind(note: _Note, source: Source) -> bool:
    """Whether a comment stands behind something in its line."""
    return bool(source.line_text(source.line(note.start)).partition(note.text[:2])[0].strip())


def _belongs(note: _Note, drawn: Drawn, source: Source) -> bool:
    """Whether a comment stands before the end of what a rung is made of, or behind it in its line."""
    return note.start < drawn.stop or source.line(note.start) == source.line(drawn.stop)


def _condition(transition: syntax.Transition, form: str, notes: Sequence[_Note]) -> str:
    """The condition of a transition in a form; empty where a ladder cannot say it."""
    lines = [line for note in notes for line in note.lines()]
    if form == "text":
        return "\n".join([f" := {expression_text(transition.condition)};", *lines, ""])
    end = condition_of(transition.condition)
    if end is None:
        return ""
    return "\n".join([" :", *lines, *laid_out(end).lines, ""])


# --- as statements ---


def _as_statements(unit: typed.Unit, statements: Sequence[syntax.Statement], notes: Sequence[_Note]) -> _Made:
    waiting = list(notes)
    own = [used.name.upper() for used in unit.uses.values() if {"EN", "ENO"} & used.variables.keys()]
    lines: list[str] = []
    begun = 0
    for number, statement in enumerate(statements):
        if waiting and waiting[0].start < _first_place(statement):
            lines += body_lines(plain(statements[begun:number], own))
            begun = number
            lines.append("")
        while waiting and waiting[0].start < _first_place(statement):
            lines += waiting.pop(0).lines()
    lines += body_lines(plain(statements[begun:], own))
    lines += [line for note in waiting for line in note.lines()]
    declared = [line for section in unit.syntax.sections for line in _hidden(section, unit)]
    renamed = _renamed(unit, [*declared, *lines])
    declared, lines = renamed[: len(declared)], renamed[len(declared) :]
    text = formatted(Source("", "\n".join(["PROGRAM x", *lines, "END_PROGRAM", ""])))
    if text is None:
        raise TooDeep
    return _Made(text.splitlines()[1:-1], declared)


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


def _renamed(unit: typed.Unit, lines: Sequence[str]) -> list[str]:
    """Lines with names that nobody has used for what nobody wrote."""
    known = {word.upper() for word in re.findall(r"\w+", unit.source.text)}
    names: dict[str, str] = {}

    def renamed(found: re.Match[str]) -> str:
        if found[1] not in names:
            name = f"{found[1]}_{unit.name}" if unit.base is not None else found[1]
            while name.upper() in known:
                name += "_"
            known.add(name.upper())
            names[found[1]] = name
        return names[found[1]]

    return [_HIDDEN.sub(renamed, line) for line in lines]
