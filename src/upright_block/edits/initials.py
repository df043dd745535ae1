"""Other initial values in the sources of a library: where they are declared, and the edits that change them and nothing
else.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from upright_block.cases.cells import parse_value
from upright_block.cases.overwriting import Overwriting
from upright_block.edits.words import initials as words
from upright_block.language import syntax, typed
from upright_block.language.literals import LiteralProblem, Value, shown
from upright_block.language.nodes import fresh, state
from upright_block.language.parsing import parse
from upright_block.language.parsing.wiring import cells_for, instance_names
from upright_block.language.signals import Signal, tags_of
from upright_block.language.source import Sheet, Source
from upright_block.language.telling.edits import Edit
from upright_block.language.telling.findings import Findings, Words
from upright_block.language.types import Elementary, Enumeration, Reference, Type
from upright_block.library.table import delimiter, table_of
from upright_block.library.wiringtable import wiring_table

_PREFIX = re.compile(r"[A-Za-z_][\w.]*#", re.ASCII)
_BASED = re.compile(r"(?:[A-Za-z_]\w*#)?(2|8|16)#[0-9A-Fa-f_]+\Z", re.ASCII)
_ELSEWHERE = ("VAR_EXTERNAL", "VAR_IN_OUT", "VAR_TEMP")
"""Sections whose variables have their values from elsewhere."""
_CELL = re.compile(r"-?[\w.:#+-]+\Z", re.ASCII)


Leaf = tuple[Value, Type]
Tree = Leaf | dict[str, "Tree"]
"""A new value with its type, or those of some fields of a structure or an instance, by their names."""


@state
class _Declared:
    """A declaration, and what of it is to have another initial value."""

    source: Source
    node: syntax.Declaration | syntax.InstanceSetting
    tree: Tree
    names: dict[str, str] = fresh(default_factory=dict)


class Initials:
    """Gathers initial values to be changed in a unit, and makes edits of them; what cannot be changed becomes a
    finding.

    ``overwriting`` knows what has another value before it is read.
    """

    def __init__(self, unit: typed.Unit, findings: Findings, overwriting: Overwriting) -> None:
        self.overwriting = overwriting
        self.unit = unit
        self.findings = findings
        self.declared: dict[tuple[str, int], _Declared] = {}
        self.cells: dict[tuple[str, int], Edit] = {}
        self.listed: dict[tuple[str, int], list[str]] = {}

    def change(self, signal: Signal, value: Value) -> None:
        """Have a signal begin with a value."""
        variables: list[typed.Variable] = [signal.root]
        for step in signal.steps:
            if not isinstance(step, typed.Member):
                self._refuse(self.unit, words.element(signal, shown(value, signal.type)))
                return
            variables.append(step.variable)
        if not _has_literal(value, signal.type):
            self._refuse(self.unit, words.without_literal(signal, shown(value, signal.type)))
        elif signal.shift is not None:
            self._refuse(self.unit, words.part(signal))
        elif signal.tag is not None and signal.tag.cells:
            self._refuse(self.unit, words.tag(signal))
        elif (found := self.overwriting.given(signal)) is not None and not found.unit.is_wired:
            self._refuse(self.unit, words.overwritten(signal, found), found.source, found.start)
        else:
            self._change_in(self.unit, variables, signal, value)

    def _refuse(self, unit: typed.Unit, said: Words, source: Source | None = None, start: int | None = None) -> None:
        where = unit.syntax.start if start is None else start
        self.findings.add(said.told(source or unit.source, where, where + 1))

    def _change_in(self, unit: typed.Unit, variables: Sequence[typed.Variable], signal: Signal, value: Value) -> None:
        """Have what lies in a unit begin with a value."""
        root, *inner = variables
        if unit.kind == "CONFIGURATION" and isinstance(root.type, typed.Unit) and inner:
            self._change_in_program(unit, root, inner, signal, value)
        elif unit.is_wired:
            self._change_cell(unit, root, inner, signal, value)
        else:
            self._change_declared(unit, root, inner, signal, value)

    def _change_in_program(
        self, unit: typed.Unit, root: typed.Variable, inner: Sequence[typed.Variable], signal: Signal, value: Value
    ) -> None:
        """In a program of a configuration: by its setting in VAR_CONFIG, or where it is declared if nothing else has
        that program.
        """
        program = root.type
        assert isinstance(program, typed.Unit)
        path = [root.key, *(variable.key for variable in inner)]
        written = parse(unit.source, Findings()).configurations
        for setting in (s for found in written if found.name.upper() == unit.key for s in found.settings):
            if [name.name.upper() for name in setting.path][-len(path) :] == path and setting.initial is not None:
                self.declared[unit.source.path, setting.start] = _Declared(unit.source, setting, (value, signal.type))
                return
        others = [v.name for v in unit.variables.values() if v.type is program and v is not root]
        if others:
            self._refuse(unit, words.program_twice(signal, program, others, shown(value, signal.type)))
        else:
            self._change_in(program, inner, signal, value)

    def _change_declared(
        self, unit: typed.Unit, root: typed.Variable, inner: Sequence[typed.Variable], signal: Signal, value: Value
    ) -> None:
        """Where a variable is declared in a unit, or as a global one."""
        source, sections = unit.source, unit.syntax.sections
        if root.source is not None and unit.variables.get(root.key) is not root:  # a global variable
            source, sections = root.source, parse(root.source, Findings()).globals
        own = (section for section in sections if section.section not in _ELSEWHERE)
        found = [(s, d) for s in own for d in s.declarations if d.start == root.start and d.name == root.name]
        if not found:
            owner = next((base for base in _bases(unit) if base.variables.get(root.key) is root), None)
            self._refuse(unit, words.not_declared_here(signal, owner))
            return
        section, node = found[0]
        twins = [d.name for d in section.declarations if d is not node and d.type is node.type]
        text = shown_as(value, signal.type, "")
        if twins:
            self._refuse(unit, words.declared_together(signal, twins, text), source, node.start)
        elif node.edge:
            self._refuse(unit, words.with_edge(signal), source, node.start)
        else:
            fresh_one = _Declared(source, node, {} if inner else (value, signal.type))
            entry = self.declared.setdefault((source.path, node.start), fresh_one)
            tree = entry.tree
            for variable in inner[:-1]:
                assert isinstance(tree, dict)
                tree = tree.setdefault(variable.key, {})
                entry.names[variable.key] = variable.name
            if inner:
                assert isinstance(tree, dict)
                tree[inner[-1].key] = (value, signal.type)
                entry.names[inner[-1].key] = inner[-1].name

    # --- in a table ---

    def _change_cell(
        self, unit: typed.Unit, root: typed.Variable, inner: Sequence[typed.Variable], signal: Signal, value: Value
    ) -> None:
        """In the cell of a row and a column; of a row that stands for many instances it becomes a list, unless all have
        one value.
        """
        table = wiring_table(unit.source, Findings())
        if table is None or len(inner) != 1 or inner[0].section != "input":
            self._refuse(unit, words.no_setting(signal, unit))
            return
        pin = inner[0]
        row = next((row for row in table.rows if root.name in instance_names(row)), None)
        heads = [head.text.lower().removeprefix("pin ") for head in table_of(unit.source, skips_blank=True).heads]
        if row is None or pin.name.lower() not in heads:
            self._refuse(unit, words.no_column(signal, unit, pin, shown_as(value, signal.type, "")))
            return
        start = row["instance"].start
        names = instance_names(row)
        whole = table_of(unit.source, skips_blank=True)
        line = next(begin for begin in reversed(whole.starts) if begin <= start)
        cell = whole.split(line)[heads.index(pin.name.lower())]
        if isinstance(unit.source, Sheet):
            self._refuse(unit, words.workbook(signal, shown(value, signal.type)), unit.source, start)
            return
        key = unit.source.path, cell.start
        texts = self.listed.setdefault(key, cells_for(cell.text, len(names)))
        if any(text and not _is_setting(unit, text, signal.type) for text in texts):
            self._refuse(unit, words.wired(signal, cell.text), unit.source, cell.start)
            return
        own = shown_as(value, signal.type, cell.text) if "#" in cell.text else shown(value, signal.type)
        if not _CELL.match(own):
            self._refuse(unit, words.no_cell(signal, own), unit.source, cell.start)
            return
        texts[names.index(root.name)] = own
        text = own if len(set(texts)) == 1 else "{" + ",".join(texts) + "}"
        text = f'"{text}"' if "," in text and delimiter(whole) == "," else text
        self.cells[key] = Edit(unit.source, cell.start, cell.end, text)

    # --- edits ---

    def edits(self) -> list[Edit]:
        """What is to be changed, in the order of the sources."""
        found = list(self.cells.values())
        for entry in self.declared.values():
            end = entry.node.type.end
            found += self._edits(entry, entry.node.initial, end, entry.tree)
        return sorted(found, key=lambda edit: (edit.source.path, edit.start))

    def _edits(self, entry: _Declared, initial: syntax.Expression | None, insert_at: int, tree: Tree) -> list[Edit]:
        source = entry.source
        if initial is None:
            return [Edit(source, insert_at, insert_at, f" := {_rendered(tree, entry.names)}")]
        old = source.text[initial.start : initial.end]
        if isinstance(tree, tuple):
            if not _is_literal(initial, tree[1]):
                said = words.no_literal(old, shown_as(*tree, ""))
                self.findings.add(said.told(source, initial.start, initial.end))
                return []
            return [Edit(source, initial.start, initial.end, shown_as(*tree, old))]
        if not isinstance(initial, syntax.StructureValue):
            said = words.no_literal(old, _rendered(tree, entry.names))
            self.findings.add(said.told(source, initial.start, initial.end))
            return []
        found: list[Edit] = []
        fields = {field.name.upper(): field for field in initial.fields}
        missing: dict[str, Tree] = {}
        for key, inner in tree.items():
            if key in fields:
                found += self._edits(entry, fields[key].value, 0, inner)
            else:
                missing[key] = inner
        if missing:
            place = max(field.value.end for field in fields.values()) if fields else initial.start + 1
            text = _rendered(missing, entry.names)[1:-1]
            found.append(Edit(source, place, place, f", {text}" if fields else text))
        return found


def _is_setting(unit: typed.Unit, text: str, type_: Type) -> bool:
    """Whether a cell has a literal, and nothing that is wired."""
    try:
        parse_value(text, type_)
    except LiteralProblem:
        return False
    return text.upper() not in tags_of(unit.shares)


def _bases(unit: typed.Unit) -> list[typed.Unit]:
    found: list[typed.Unit] = []
    while unit.base is not None:
        unit = unit.base
        found.append(unit)
    return found


def _rendered(tree: Tree, names: Mapping[str, str]) -> str:
    """New values as they are written where there were none."""
    if isinstance(tree, tuple):
        return shown_as(*tree, "")
    return "(" + ", ".join(f"{names[key]} := {_rendered(inner, names)}" for key, inner in tree.items()) + ")"


# --- the style of a literal ---


def _has_literal(value: Value, type_: Type) -> bool:
    """Whether a value can be written in a source: no reference, nothing infinite, no value of an enumeration without a
    name.
    """
    if isinstance(type_, Enumeration):
        return type_.name_of(int(value)) is not None
    return not isinstance(type_, Reference) and (not isinstance(value, float) or value - value == 0)


def _is_literal(node: syntax.Expression, type_: Type) -> bool:
    """Whether an initial value is written as a literal, or as the name of a value of an enumeration."""
    if isinstance(node, syntax.Unary) and node.operator == "-":
        node = node.operand
    if isinstance(type_, Enumeration) and isinstance(node, syntax.Name):
        return node.name.upper() in type_.members
    return isinstance(node, syntax.Literal)


def shown_as(value: Value, type_: Type, old: str) -> str:
    """A value as a literal of the language, in the style of the one that stood there before; the empty text is none."""
    head = _PREFIX.match(old.lstrip("-"))
    prefix = head[0] if head is not None else ""
    if isinstance(value, str):
        return prefix + shown(value, type_)
    assert isinstance(type_, Elementary)
    if isinstance(type_, Enumeration):
        return prefix + shown(value, type_)
    match type_.family:
        case "duration":
            text = (prefix or "T#") + shown(value, type_)
            return text.upper() if old and old.upper() == old else text
        case "bool":
            word = old.removeprefix(prefix)
            if word in ("0", "1"):
                return prefix + str(int(bool(value)))
            text = "TRUE" if value else "FALSE"
            return prefix + (text.lower() if word.islower() else text.capitalize() if word.istitle() else text)
        case "signed" | "unsigned" | "bits":
            return _shown_whole(int(value), type_, old, prefix)
        case "real":
            return prefix + shown(value, type_)
        case "date":
            return (prefix or "D#") + shown(value, type_)
        case "time of day":
            return (prefix or "TOD#") + shown(value, type_)
        case "date and time":
            return (prefix or "DT#") + shown(value, type_)
    return prefix + shown(value, type_)


def _shown_whole(value: int, type_: Elementary, old: str, prefix: str) -> str:
    """A whole number in the base of the old one, with as many digits and with ``_`` where it had them."""
    based = _BASED.match(old.lstrip("-"))
    if based is None or value < 0:
        if not old and type_.family == "bits":
            return shown(value, type_)
        digits = f"{abs(value):,}".replace(",", "_") if "_" in old.removeprefix(prefix) else str(abs(value))
        return f"{prefix}{'-' if value < 0 else ''}{digits}"
    base = based[1]
    head, _, digits = old.lstrip("-").rpartition("#")
    width = len(digits.replace("_", ""))
    text = f"{value:0{width}{ {'2': 'b', '8': 'o', '16': 'X'}[base] }}"
    text = text.lower() if digits.lower() == digits and digits.upper() != digits else text
    if "_" in digits:
        step = len(digits) - 1 - digits.rindex("_")
        text = re.sub(rf"(?<=.)(?=(?:.{{{step}}})+\Z)", "_", text)
    return f"{head}#{text}"
