"""The types of expressions. IEC 61131-3:2013, 6.6.1.6, 6.6.2 and 7.3.2."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from upright_block.language import constants, syntax, typed
from upright_block.language.checking.reporter import Problem, Reporter
from upright_block.language.literals import (
    LiteralProblem,
    Value,
    character,
    fit,
    parse_as,
    parse_number,
    parse_text,
    parse_typed,
    shown_number,
    shown_text,
)
from upright_block.language.scope import NamedType
from upright_block.language.types import (
    BOOL,
    BROKEN,
    BYTE,
    DATE,
    DINT,
    DT,
    DWORD,
    INT,
    LDATE,
    LDT,
    LINT,
    LREAL,
    LTIME,
    LTOD,
    LWORD,
    NULL,
    REAL,
    TIME,
    TOD,
    UNTYPED_INT,
    UNTYPED_REAL,
    WORD,
    Array,
    Elementary,
    Enumeration,
    Reference,
    String,
    Subrange,
    Type,
    common,
    in_group,
    is_integer,
    is_real,
    widens,
)  # fmt: skip

_COMPARISONS = frozenset({"=", "<>", "<", ">", "<=", ">="})
_LOGIC = frozenset({"AND", "OR", "XOR"})
_TIMED = frozenset({"duration", "date", "time of day", "date and time"})
_PARTS = {"X": BOOL, "B": BYTE, "W": WORD, "D": DWORD, "L": LWORD}
_SAME_WIDTH = {8: "BYTE", 16: "WORD", 32: "DWORD", 64: "LWORD"}
_MOVED = {
    (a, sign, b): result
    for moment, duration in ((TOD, TIME), (DT, TIME), (LTOD, LTIME), (LDT, LTIME))
    for a, sign, b, result in (
        (moment, "+", duration, moment), (moment, "-", duration, moment), (moment, "-", moment, duration),
    )
} | {(DATE, "-", DATE): TIME, (LDATE, "-", LDATE): LTIME}  # fmt: skip
"""What comes of a date or time of day and another, by operator (table 30)."""
_NAMED = {"+": "add", "-": "subtract", "*": "multiply", "/": "divide", "MOD": "take the remainder of"}


class ExpressionChecker(Reporter):
    """Turns expressions of syntax into typed ones. Every method raises `Problem` after reporting."""

    def value(self, at: syntax.Expression, wanted: Type, what: str) -> typed.Expression:
        """The expression as a value of type ``wanted``; ``what`` names the receiver in messages."""
        if isinstance(wanted, Reference):
            reference = self._refers_to(at, wanted)
            if reference is not None:
                return reference
        return self.coerce(self.expression(at), wanted, at, what)

    def any_value(self, at: syntax.Expression) -> typed.Expression:
        """The expression with a type of its own: a bare literal takes INT, DINT, LINT or LREAL."""
        found = self.expression(at)
        if isinstance(found, typed.Constant) and found.type.family == "untyped":
            return self.coerce(found, default_type(found), at, "")
        return found

    def elementary_value(self, at: syntax.Expression) -> tuple[typed.Expression, Elementary]:
        """The expression with an elementary type of its own, and that type."""
        found = self.any_value(at)
        if not isinstance(found.type, Elementary):
            raise self.problem(
                "type-mismatch",
                at,
                f"{self.text(at)} is {found.type} as a whole.",
                "Name an element or a field.",
            )
        return found, found.type

    def condition(self, at: syntax.Expression, what: str) -> typed.Expression:
        """The expression as a BOOL that decides something."""
        found = self.expression(at)
        if found.type is BOOL:
            return found
        if found.type.family == "untyped":
            return self.coerce(found, BOOL, at, what)
        raise self.problem("type-mismatch", at, f"{what} needs a BOOL; {self.text(at)} is {found.type}.",
                           "Compare it with a value.")  # fmt: skip

    def expression(self, at: syntax.Expression) -> typed.Expression:
        """The typed expression."""
        return _CHECK[type(at)](self, at)

    # --- conversion to a wanted type ---

    def coerce(self, found: typed.Expression, wanted: Type, at: syntax.Node, what: str) -> typed.Expression:
        """``found`` as a value of type ``wanted``: as it is, a literal that fits, or widened."""
        type_ = found.type
        if type_ is wanted and wanted.family != "broken":
            return found
        if isinstance(wanted, String):
            return self._coerce_text(found, wanted, at, what)
        if isinstance(wanted, Elementary):
            return self._coerce_elementary(found, wanted, at, what)
        raise self.mismatch(type_, wanted, at, what)

    def _refers_to(self, at: syntax.Expression, wanted: Reference) -> typed.Expression | None:
        """An instance where a variable of an interface is wanted: the reference to it (6.6.6.6)."""
        target = wanted.target
        if not isinstance(target, typed.Unit) or target.kind != "INTERFACE" or type(at) not in _PLACE:
            return None
        if isinstance(at, syntax.Name) and at.name.upper() != "THIS" and not self.declares(at.name.upper()):
            return None
        place = self.place(at)
        if not isinstance(place.type, typed.Unit):
            return None
        if not place.type.is_a(target):
            raise self.problem(
                "type-mismatch",
                at,
                f"{self.text(at)} is {place.type}, which does not implement {target}.",
                f"Write {place.type.kind} {place.type} IMPLEMENTS {target}.",
            )
        self.unit.addressed.append(place)
        return typed.AddressOf(wanted, place)

    def _coerce_elementary(
        self, found: typed.Expression, wanted: Elementary, at: syntax.Node, what: str
    ) -> typed.Expression:
        type_ = found.type
        if isinstance(wanted, Subrange):
            inner = self._coerce_subrange(found, wanted, at, what)
            return inner if isinstance(inner, typed.Constant) else typed.InRange(wanted, inner, at.start)
        if isinstance(found, typed.Constant) and type_.family == "untyped":
            return typed.Constant(wanted, self.fitted(found, wanted, at, what))
        if isinstance(found, typed.Constant) and isinstance(found.value, str) and wanted.family == "char":
            return self._one_character(found, wanted, at)
        if isinstance(wanted, Enumeration) and wanted.is_open and type_ is wanted.stored:
            return typed.Convert(wanted, found, at.start)
        if isinstance(wanted, Reference) and isinstance(type_, Reference):
            if type_ is NULL:
                return typed.Constant(wanted, 0)
            a, b = type_.target, wanted.target
            if isinstance(a, typed.Unit) and isinstance(b, typed.Unit) and a.is_a(b):
                return typed.Convert(wanted, found, at.start)
        if isinstance(type_, Elementary) and widens(type_, wanted):
            return typed.Convert(wanted, found, at.start)
        raise self.mismatch(type_, wanted, at, what)

    def _coerce_subrange(
        self, found: typed.Expression, wanted: Subrange, at: syntax.Node, what: str
    ) -> typed.Expression:
        """A value of the base type; what is known to lie outside the range is reported now."""
        inner = self.coerce(found, wanted.base, at, what)
        if isinstance(inner, typed.Constant):
            value = int(inner.value)
            if not wanted.low <= value <= wanted.high:
                raise self.problem(
                    "out-of-range",
                    at,
                    f"{value} does not fit {wanted.name}.",
                    f"{what or 'It'} goes from {wanted.low} to {wanted.high}.",
                )
        return inner

    def _coerce_text(
        self, found: typed.Expression, wanted: String, at: syntax.Node, what: str
    ) -> typed.Expression:
        type_ = found.type
        if not isinstance(type_, String):
            raise self.mismatch(type_, wanted, at, what)
        literal = found.value if isinstance(found, typed.Constant) and isinstance(found.value, str) else None
        if type_.width != wanted.width:
            if literal is not None:
                quote = '"' if wanted.width == 2 else "'"
                raise self.problem(
                    "type-mismatch",
                    at,
                    f"{what or 'It'} is {wanted}; {self.text(at)} is a {type_.stem}.",
                    f"Write it in {'double' if wanted.width == 2 else 'single'} quotes: {shown_text(literal, quote)}.",
                )
            raise self.mismatch(type_, wanted, at, what)
        if literal is not None and len(literal) > wanted.capacity:
            raise self.problem(
                "out-of-range",
                at,
                f"The text has {len(literal)} characters; {what or 'it'} is {wanted}.",
                f"Shorten it, or declare {wanted.stem}[{len(literal)}].",
            )
        return found

    def _one_character(self, found: typed.Constant, wanted: Elementary, at: syntax.Node) -> typed.Expression:
        try:
            return typed.Constant(wanted, character(str(found.value), wanted))
        except LiteralProblem as problem:
            raise self.problem("type-mismatch", at, str(problem), problem.way_out) from None

    def fitted(self, found: typed.Constant, wanted: Elementary, at: syntax.Node, what: str) -> Value:
        """The value of an untyped literal as one of ``wanted``."""
        assert isinstance(found.type, Elementary)
        assert not isinstance(found.value, str)
        if isinstance(wanted, Enumeration) and not wanted.is_open:
            names = ", ".join(name for name, _ in wanted.members.values())
            raise self.problem(
                "type-mismatch",
                at,
                f"{what or 'It'} is {wanted}; {self.text(at)} is a number.",
                f"Name one of its values: {names}.",
            )
        try:
            return fit(found.type, found.value, wanted)
        except LiteralProblem as problem:
            name = "out-of-range" if "fit" in str(problem) or "large" in str(problem) else "type-mismatch"
            where = f" {what} is {wanted}." if what and name == "type-mismatch" else ""
            raise self.problem(name, at, f"{problem}{where}", problem.way_out) from None

    def mismatch(self, found: Type, wanted: Type, at: syntax.Node, what: str) -> Problem:
        """Report that a value of one type cannot become another unasked."""
        shown = self.text(at)
        subject = f"{what} is {wanted}" if what else f"{wanted} is needed here"
        function = f"{found.name}_TO_{wanted.name}"
        if (
            isinstance(found, Elementary)
            and isinstance(wanted, Elementary)
            and self.scope.standard.function(function) is not None
        ):
            loses = widens(wanted, found) or is_real(found)
            way_out = f"Convert with {function}({shown})" + (", if the value always fits." if loses else ".")
        elif wanted is BOOL:
            way_out = "Compare it with a value."
        elif found is BOOL:
            way_out = f"Choose a value with SEL({shown}, ..., ...)."
        elif wanted.family == "duration":
            way_out = "Multiply a duration by the number, as in T#1s * n."
        else:
            way_out = "Use values of one type."
        return self.problem("type-mismatch", at, f"{subject}; {shown} is {found}.", way_out)

    # --- operands ---

    def _literal(self, at: syntax.Literal) -> typed.Expression:
        try:
            if at.kind == "bool":
                return typed.Constant(BOOL, at.text.upper() == "TRUE")
            if at.kind in ("int", "real"):
                return typed.Constant(*parse_number(at.text))
            if at.kind == "typed":
                return self._typed_literal(at)
            if at.kind == "string":
                return typed.Constant(*parse_text(at.text))
        except LiteralProblem as problem:
            raise self.problem("bad-literal", at, str(problem), problem.way_out) from None
        if at.kind == "broken":
            self.unit.is_broken = True
            raise Problem
        if at.kind == "null":
            return typed.Constant(NULL, 0)
        raise AssertionError(at.kind)

    def _typed_literal(self, at: syntax.Literal) -> typed.Expression:
        """A literal with a type before ``#``, which may be an enumeration or a subrange of the library."""
        prefix, _, rest = at.text.partition("#")
        named = self.scope.types.get(prefix.upper())
        if named is None:
            return typed.Constant(*parse_typed(at.text))
        type_ = self.named_type(named, at)
        if isinstance(type_, Enumeration):
            known = type_.members.get(rest.upper())
            if known is None:
                start = at.start + len(prefix) + 1
                names = [name for name, _ in type_.members.values()]
                raise self.unknown(
                    rest,
                    syntax.Node(start, at.end),
                    f"{type_} has no value {rest}.",
                    names,
                    f"Its values are {', '.join(names)}.",
                )
            return typed.Constant(type_, known[1])
        if not isinstance(type_, Elementary):
            raise LiteralProblem(f"{prefix} has no literals.", "Name its fields or elements one by one.")
        found = typed.Constant(type_.base, parse_as(rest, type_.base))
        return self.coerce(found, type_, at, "") if isinstance(type_, Subrange) else found

    def named_type(self, named: NamedType, at: syntax.Node) -> Type:
        """The type that a name of the library stands for."""
        raise NotImplementedError

    def _name(self, at: syntax.Name) -> typed.Expression:
        key = at.name.upper()
        if not self.declares(key):
            found = self._enumerator(at)
            if found is not None:
                return found
        return self._load(at)

    def _enumerator(self, at: syntax.Name) -> typed.Expression | None:
        """The value of an enumeration that a bare name stands for."""
        owners = self.scope.values.get(at.name.upper(), ())
        if len(owners) > 1:
            ways = " or ".join(f"{owner}#{at.name}" for owner in owners[:2])
            raise self.problem(
                "ambiguous-value",
                at,
                f"{at.name} is a value of {len(owners)} enumerations.",
                f"Write {ways}.",
            )
        for owner in owners:
            return typed.Constant(owner, owner.members[at.name.upper()][1])
        return None

    def _load(self, at: syntax.Expression) -> typed.Expression:
        """The value at a place; a constant that is code has none."""
        place = self.place(at)
        if not place.steps and place.root.is_code and isinstance(place.type, (Elementary, String)):
            return typed.ConstantUse(place.type, place.root)
        if isinstance(place.type, typed.Unit):
            raise self.bare_instance(at, place.type)
        return typed.Load(place.type.base if isinstance(place.type, Elementary) else place.type, place)

    def bare_instance(self, at: syntax.Node, block: typed.Unit) -> Problem:
        """Report that an instance stands where a value is wanted."""
        pins = block.section("output") or block.section("input")
        shown = self.text(at)
        way_out = (
            f"Name one of its pins, such as {shown}.{pins[0].name}." if pins else "Name one of its pins."
        )
        return self.problem(
            "no-value", at, f"{shown} is an instance of {block} and has no value of its own.", way_out
        )

    # --- places ---

    def place(self, at: syntax.Expression) -> typed.Place:
        """The place that a name and what follows it lead to; private data of an instance is refused."""
        make = _PLACE.get(type(at))
        if make is None:
            raise self.problem(
                "no-place", at, f"{self.text(at)} is no variable.", "Name a variable or a pin."
            )
        return make(self, at)

    @property
    def holder(self) -> typed.Unit | None:
        """The unit whose data the body works on: the unit itself, or the owner of a method."""
        return self.unit.owner or (self.unit if self.unit.keeps_data else None)

    def declares(self, name: str) -> bool:
        """Whether a name in upper case is that of a variable here."""
        held = self.holder is not None and name in self.holder.variables
        return held or name in self.unit.variables or name in self.scope.globals.variables

    def _root(self, at: syntax.Name) -> typed.Place:
        key, holder = at.name.upper(), self.holder
        if key in ("THIS", "SUPER"):
            if holder is None:
                raise self.problem("outside-an-instance", at, f"{at.name} has no meaning in a function.", "Use it in a block or a method.")  # fmt: skip
            if key == "SUPER":
                raise self.problem("no-value", at, "SUPER has no value of its own.", "Call a method of it: SUPER.method(...).")  # fmt: skip
            return typed.Place(holder.this, (), holder)
        if self.unit.owner is not None and key not in self.unit.variables and key != self.unit.name.upper():
            held = self.unit.owner.variables.get(key)
            if held is not None and held.section != "external" and not held.is_code:
                if held.type is BROKEN:
                    self.unit.is_broken = True
                    raise Problem
                return typed.Place(self.unit.owner.this, (typed.Member(self.unit.owner, held),), held.type)
        variable = self.variable(at)
        return typed.Place(variable, (), variable.type)

    def variable(self, at: syntax.Name) -> typed.Variable:
        """The variable of the unit, or the global one, that is called by this name."""
        key = at.name.upper()
        found = self.unit.variables.get(key)
        if found is None and self.unit.result is not None and key == self.unit.name.upper():
            found = self.unit.result
        if found is None and self.unit.owner is not None:
            found = self.unit.owner.variables.get(key)
        if found is not None and found.section == "external":
            found = found.shared
            if found is None:
                raise Problem
        found = found or self.scope.globals.variables.get(key)
        if found is not None:
            if found.type is BROKEN:
                self.unit.is_broken = True
                raise Problem
            if found.section == "global":
                self.unit.shares = self.scope.globals
            return found
        raise self._no_variable(at)

    def _no_variable(self, at: syntax.Name) -> Problem:
        if at.name.upper() == self.unit.key and self.unit.kind == "FUNCTION":
            return self.problem(
                "missing-type",
                at,
                f"{self.unit.name} has no result type, so nothing can be assigned to it.",
                f"Write FUNCTION {self.unit.name} : INT, or another type.",
            )
        callee = self.find_unit(at.name.upper())
        if callee is not None:
            if callee.kind == "FUNCTION_BLOCK":
                return self.problem("block-without-instance", at, f"{callee.name} is a block, not a variable.",
                                    f"Declare an instance of it (VAR name : {callee.name}; END_VAR) and use its pins.")  # fmt: skip
            return self.problem("function-without-call", at, f"{callee.name} is a {callee.kind.lower()} and is called with parentheses.",
                                f"Write {callee.name}(...).")  # fmt: skip
        names = [v.name for v in self.unit.variables.values()]
        names += [v.name for v in self.holder.variables.values()] if self.holder else []
        names += [v.name for v in self.scope.globals.variables.values()]
        names += [enumeration.members[key][0] for key, (enumeration, *_) in self.scope.values.items()]
        return self.unknown(
            at.name,
            at,
            f"{at.name} is not declared in {self.unit.name}.",
            names,
            f"Declare {at.name} in a VAR section.",
        )

    def _member(self, at: syntax.Member) -> typed.Place:
        base = self.place(at.base)
        owner = base.type
        name_at = syntax.Node(at.name_start, at.end)
        if isinstance(owner, Reference) and isinstance(owner.target, typed.Compound):
            raise self.problem(
                "missing-dereference",
                at,
                f"{self.text(at.base)} is {owner}; its target has the {'pins' if isinstance(owner.target, typed.Unit) else 'fields'}.",
                f"Write {self.text(at.base)}^.{at.name}.",
            )
        if not isinstance(owner, typed.Compound):
            raise self.problem(
                "no-pins", at, f"{self.text(at.base)} is {owner} and has no pins.", f"Remove .{at.name}."
            )
        if isinstance(owner, typed.Structure):
            return self._field(at, base, owner, name_at)
        assert isinstance(owner, typed.Unit)
        pin = owner.variables.get(at.name.upper())
        if pin is None:
            public = [v.name for v in owner.variables.values() if v.section in ("input", "output")]
            raise self.unknown(at.name, name_at, f"{owner} has no pin {at.name}.", public, pins_of(owner))
        own = base.root.section == "this" and not base.steps
        if pin.section == "in_out" and not own:
            raise self.problem("private-data", name_at, f"{pin.name} is an in-out of {owner}; it is the caller's own variable.",
                               "Use the variable that is given to it.")  # fmt: skip
        if pin.section not in ("input", "output") and not own and pin.access != "PUBLIC":
            raise self.problem("private-data", name_at, f"{pin.name} is private data of {owner}; only its own body uses it.",
                               "Use an output of the block, or give it one for this.")  # fmt: skip
        if pin.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        return typed.Place(base.root, (*base.steps, typed.Member(owner, pin)), pin.type)

    def _field(
        self, at: syntax.Member, base: typed.Place, owner: typed.Structure, name_at: syntax.Node
    ) -> typed.Place:
        field = owner.variables.get(at.name.upper())
        if field is None:
            names = [v.name for v in owner.variables.values()]
            raise self.unknown(
                at.name,
                name_at,
                f"{owner} has no field {at.name}.",
                names,
                f"Its fields are {', '.join(names)}.",
            )
        if field.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        return typed.Place(base.root, (*base.steps, typed.Member(owner, field)), field.type)

    def _index(self, at: syntax.Index) -> typed.Place:
        base = self.place(at.base)
        array = base.type
        if not isinstance(array, Array):
            way_out = (
                "Take characters with MID, LEFT and RIGHT."
                if isinstance(array, String)
                else "Remove the index."
            )
            raise self.problem(
                "no-array", at, f"{self.text(at.base)} is {array} and has no elements.", way_out
            )
        if len(at.indices) != len(array.bounds):
            count = len(array.bounds)
            raise self.problem(
                "wrong-index",
                at,
                f"{self.text(at.base)} has {count} dimension{'' if count == 1 else 's'}; {len(at.indices)} "
                f"{'index is' if len(at.indices) == 1 else 'indices are'} given.",
                f"Write {self.text(at.base)}[{', '.join('ijklmn'[:count])}].",
            )
        indices: list[typed.Expression] = []
        for index_at, (low, high) in zip(at.indices, array.bounds, strict=True):
            index, type_ = self.elementary_value(index_at)
            if not is_integer(type_) and not isinstance(type_, Enumeration):
                raise self.problem(
                    "type-mismatch", index_at, f"An index is an integer; {self.text(index_at)} is {type_}.",
                    "Convert it to an integer.",
                )  # fmt: skip
            if isinstance(index, typed.Constant) and not low <= int(index.value) <= high:
                raise self.problem(
                    "out-of-range",
                    index_at,
                    f"The index {index.value} is outside {low}..{high}.",
                    f"{self.text(at.base)} has elements {low} to {high}.",
                )
            indices.append(index)
        step = typed.Element(array, tuple(indices), at.start)
        return typed.Place(base.root, (*base.steps, step), array.element)

    def _dereference(self, at: syntax.Dereference) -> typed.Place:
        base = self.place(at.base)
        if not isinstance(base.type, Reference) or base.type.target is None:
            raise self.problem(
                "no-reference",
                at,
                f"{self.text(at.base)} is {base.type} and refers to nothing.",
                "Remove ^, or declare it REF_TO.",
            )
        return typed.Place(base.root, (*base.steps, typed.Target(at.start)), base.type.target)

    def part_bounds(self, at: syntax.Part, whole: Type) -> tuple[Elementary, int]:
        """The type of a part of a bit string, and its lowest bit (table 17)."""
        type_ = _PARTS[at.size]
        if not isinstance(whole, Elementary) or whole.family != "bits":
            way_out = "Only bit strings have parts."
            if isinstance(whole, Elementary) and is_integer(whole):
                way_out = (
                    f"Convert it to a bit string: {whole}_TO_{_SAME_WIDTH[whole.bits]}({self.text(at.base)})."
                )
            raise self.problem("no-parts", at, f"{self.text(at.base)} is {whole} and has no bits of its own.", way_out)  # fmt: skip
        width = 1 if type_ is BOOL else type_.bits
        last = whole.bits // width - 1
        if at.number > last:
            what = {1: "bits", 8: "bytes", 16: "words", 32: "double words", 64: "long words"}[width]
            raise self.problem(
                "out-of-range",
                syntax.Node(at.part_start, at.end),
                f"{self.text(at.base)} is {whole} and has {what} 0 to {last}.",
                f"Write a number from 0 to {last}.",
            )
        return type_, at.number * width

    def _part(self, at: syntax.Part) -> typed.Expression:
        whole = self.expression(at.base)
        type_, shift = self.part_bounds(at, whole.type)
        return typed.Part(type_, whole, shift)

    def _no_value(self, at: syntax.Expression) -> typed.Expression:
        raise self.problem(
            "no-value", at, f"{self.text(at)} can only be an initial value.", "Assign element by element."
        )

    # --- operators ---

    def _unary(self, at: syntax.Unary) -> typed.Expression:
        operand = self.expression(at.operand)
        operator = at.operator
        type_ = self._elementary(operand, at.operand)
        if operator == "NOT":
            if type_.family in ("bool", "bits"):
                return typed.Unary(type_, "NOT", operand, at.start)
            raise self.problem("type-mismatch", at, f"NOT needs a BOOL or a bit string; {self.text(at.operand)} is {type_}.",
                               "Compare it with a value, or negate with -.")  # fmt: skip
        if isinstance(operand, typed.Constant) and type_.family == "untyped":
            number = constants.number(operand)
            return typed.Constant(type_, -number if operator == "-" else number)
        if type_.family in ("signed", "real", "duration"):
            return typed.Unary(type_, "-", operand, at.start) if operator == "-" else operand
        way_out = (
            "Negate with NOT."
            if type_.family in ("bool", "bits")
            else f"{type_} has no negative values; convert to a signed type."
        )
        raise self.problem(
            "type-mismatch",
            at,
            f"{operator} needs a signed number; {self.text(at.operand)} is {type_}.",
            way_out,
        )

    def _binary(self, at: syntax.Binary) -> typed.Expression:
        """Operators of one spine are taken in a loop: a chain of a thousand ORs is one expression."""
        spine: list[syntax.Binary] = []
        left_at: syntax.Expression = at
        while isinstance(left_at, syntax.Binary):
            spine.append(left_at)
            left_at = left_at.left
        left = self.expression(left_at)
        for node in reversed(spine):
            left = self._operation(node, left, self.expression(node.right))
        return left

    def _operation(
        self, at: syntax.Binary, left: typed.Expression, right: typed.Expression
    ) -> typed.Expression:
        operator = at.operator
        if isinstance(left.type, String) or isinstance(right.type, String):
            return self._compare_texts(at, left, right)
        left_type, right_type = self._elementary(left, at.left), self._elementary(right, at.right)
        if left_type.family == "untyped" and right_type.family == "untyped":
            return self._fold(at, left, right)
        if operator == "**":
            return self._power(at, left, right)
        if _TIMED & {left_type.family, right_type.family}:
            return self._timed_operation(at, left, left_type, right, right_type)
        type_ = self._common_type(at, left, right)
        if operator in _LOGIC:
            if type_.family not in ("bool", "bits"):
                raise self.problem("type-mismatch", at, f"{operator} combines BOOL or bit strings; these are {type_}.",
                                   "Compare each with a value first." if is_integer(type_) or is_real(type_) else "")  # fmt: skip
            result = type_
        elif operator in _COMPARISONS:
            result = BOOL
            unordered = type_ is BOOL or type_.family in ("reference", "enumeration")
            if unordered and operator not in ("=", "<>"):
                raise self.problem(
                    "type-mismatch",
                    at,
                    f"{'BOOL values have' if type_ is BOOL else f'{type_} has'} no order for {operator}.",
                    "Use AND, OR and NOT, or = and <>." if type_ is BOOL else "Use = and <>.",
                )
        else:
            wanted = "ANY_INT" if operator == "MOD" else "ANY_NUM"
            if not in_group(type_, wanted):
                raise self.problem(
                    "type-mismatch", at, f"{operator} needs numbers; {self._types(at, left, right)}.",
                    "Convert to an integer first." if type_.family in ("bits", "bool", "real") else "",
                )  # fmt: skip
            result = type_
        left = self.coerce(left, type_, at.left, "")
        right = self.coerce(right, type_, at.right, "")
        if operator == "/" and isinstance(right, typed.Constant) and right.value == 0:
            raise self.problem("division-by-zero", at, "This divides by zero.", "Divide by something else.")
        return typed.Binary(result, operator, left, right, at.operator_start)

    def _types(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> str:
        return f"{self.text(at.left)} is {left.type} and {self.text(at.right)} is {right.type}"

    def _elementary(self, found: typed.Expression, at: syntax.Expression) -> Elementary:
        if not isinstance(found.type, Elementary):
            raise self.problem(
                "type-mismatch", at, f"{self.text(at)} is {found.type} and has no single value.",
                "Name an element or a field.",
            )  # fmt: skip
        return found.type

    def _compare_texts(
        self, at: syntax.Binary, left: typed.Expression, right: typed.Expression
    ) -> typed.Expression:
        """Texts of one width compare character by character (table 33); a one-character text may be a CHAR."""
        for one, other, one_at in ((left, right, at.left), (right, left, at.right)):
            if other.type.family == "char" and isinstance(one, typed.Constant) and isinstance(one.value, str):
                made = self.coerce(one, other.type, one_at, "")
                pair = (made, other) if one is left else (other, made)
                return self._operation(at, *pair)
        if at.operator not in _COMPARISONS:
            way_out = "Join texts with CONCAT." if at.operator == "+" else "Convert them to numbers first."
            raise self.problem("type-mismatch", at, f"{at.operator} has no meaning for texts.", way_out)
        if (
            not (isinstance(left.type, String) and isinstance(right.type, String))
            or left.type.width != right.type.width
        ):
            raise self.mismatch_pair(at, left, right)
        return typed.Binary(BOOL, at.operator, left, right, at.operator_start)

    def _common_type(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> Elementary:
        """The type in which an operator works: a literal follows the other operand."""
        a, b = self._elementary(left, at.left), self._elementary(right, at.right)
        for one, other in ((a, b), (b, a)):
            if one.family == "untyped":
                if one is UNTYPED_REAL and is_integer(other):
                    if not widens(other, LREAL):
                        raise self.mismatch_pair(at, left, right)
                    return REAL if widens(other, REAL) else LREAL
                return other.stored if isinstance(other, Enumeration) and other.is_open else other
            if one is NULL and isinstance(other, Reference):
                return other
        type_ = common(a, b)
        if type_ is None:
            raise self.mismatch_pair(at, left, right)
        is_arithmetic = at.operator not in _COMPARISONS
        if isinstance(type_, Enumeration) and type_.is_open and is_arithmetic:
            return type_.stored
        return type_

    def mismatch_pair(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> Problem:
        """Report that two operands have no type in common."""
        verb = "compare" if at.operator in _COMPARISONS else _NAMED.get(at.operator, "combine")
        way_out = "Convert one of them to the type of the other."
        for one, other, one_at in ((left.type, right.type, at.left), (right.type, left.type, at.right)):
            if not (isinstance(one, Elementary) and isinstance(other, Elementary)):
                continue
            function = f"{one.name}_TO_{other.name}"
            if self.scope.standard.function(function) is not None:
                way_out = f"Convert one of them, as in {function}({self.text(one_at)})."
                break
        return self.problem(
            "type-mismatch", at, f"Cannot {verb} these: {self._types(at, left, right)}.", way_out
        )

    def _fold(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> typed.Expression:
        assert isinstance(left, typed.Constant)
        assert isinstance(right, typed.Constant)
        operator = at.operator
        if operator in _LOGIC:
            raise self.problem("type-mismatch", at, f"{operator} combines BOOL or bit strings; these are bare numbers.",
                               "Write them with their type, as in WORD#16#FF or BOOL#1.")  # fmt: skip
        if operator in ("/", "MOD") and not right.value:
            raise self.problem("division-by-zero", at, "This divides by zero.", "Divide by something else.")
        result = (
            BOOL
            if operator in _COMPARISONS
            else UNTYPED_REAL
            if UNTYPED_REAL in (left.type, right.type)
            else UNTYPED_INT
        )
        try:
            return constants.fold(operator, left, right, result)
        except constants.NotConstant:
            raise self.problem(
                "out-of-range",
                at,
                f"{self.text(at)} has no value that a number can hold.",
                "Use smaller numbers.",
            ) from None

    def _power(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> typed.Expression:
        """``a ** b``: EXPT computed as LREAL, rounded to REAL when the base is REAL (table 71, 29)."""
        if left.type.family == "untyped":
            left = self.coerce(left, right.type if right.type.family == "real" else LREAL, at.left, "")
        base_type, exponent_type = self._elementary(left, at.left), self._elementary(right, at.right)
        if not is_real(base_type):
            raise self.problem("type-mismatch", at.left, f"The base of ** is REAL or LREAL; {self.text(at.left)} is {left.type}.",
                               "Convert it to LREAL, or multiply.")  # fmt: skip
        if not in_group(exponent_type, "ANY_NUM") and exponent_type.family != "untyped":
            raise self.problem(
                "type-mismatch",
                at.right,
                f"The exponent of ** is a number; {self.text(at.right)} is {right.type}.",
            )
        base = self.as_number(left, LREAL, at.left)
        exponent = self.as_number(right, LREAL, at.right)
        function = self.find_unit("EXPT")
        assert function is not None
        self.unit.uses[function.key] = function
        call = typed.CallFunction(LREAL, function, (base, exponent), (), (), at.operator_start)
        return call if base_type is LREAL else typed.Convert(base_type, call, at.start)

    def as_number(self, found: typed.Expression, wanted: Elementary, at: syntax.Node) -> typed.Expression:
        """Any number as LINT or LREAL, also where that may round (a factor, an exponent)."""
        if found.type is wanted or found.type.family == "untyped":
            return self.coerce(found, wanted, at, "")
        return typed.Convert(wanted, found, at.start)

    def _timed_operation(
        self,
        at: syntax.Binary,
        left: typed.Expression,
        left_type: Elementary,
        right: typed.Expression,
        right_type: Elementary,
    ) -> typed.Expression:
        """Durations and dates add, subtract and compare; a number may be a duration's factor or divisor (table 30)."""
        operator = at.operator
        if left_type.family == "duration" and operator in ("*", "/") and right_type.family not in _TIMED:
            return self._scaled_duration(at, left, left_type, right, right_type)
        if operator == "*" and right_type.family == "duration" and left_type.family not in _TIMED:
            raise self.problem("type-mismatch", at, f"The duration stands first when it is multiplied; {self._types(at, left, right)}.",
                               f"Write {self.text(at.right)} * {self.text(at.left)}.")  # fmt: skip
        for one, one_at, other in ((left, at.left, right_type), (right, at.right, left_type)):
            if one.type.family == "untyped":
                number = shown_number(constants.number(one)) if isinstance(one, typed.Constant) else "1"
                raise self.problem("type-mismatch", one_at, f"{self.text(one_at)} has no unit; the other value is {other}.",
                                   f"Write T#{number}s, or another unit.")  # fmt: skip
        moved = _MOVED.get((left_type, operator, right_type))
        if moved is not None:
            return typed.Binary(moved, operator, left, right, at.operator_start)
        type_ = common(left_type, right_type)
        if type_ is None:
            raise self.mismatch_pair(at, left, right)
        if operator not in _COMPARISONS and (operator not in ("+", "-") or type_.family != "duration"):
            what = "durations" if type_.family == "duration" else "dates"
            raise self.problem("type-mismatch", at, f"{operator} has no meaning between two {what}.",
                               "Durations are added, subtracted and compared; a number may multiply or divide one."
                               if what == "durations" else "Dates are subtracted and compared; a duration may be added to one.")  # fmt: skip
        return typed.Binary(
            BOOL if operator in _COMPARISONS else type_,
            operator,
            self.coerce(left, type_, at.left, ""),
            self.coerce(right, type_, at.right, ""),
            at.operator_start,
        )

    def _scaled_duration(
        self,
        at: syntax.Binary,
        left: typed.Expression,
        left_type: Elementary,
        right: typed.Expression,
        right_type: Elementary,
    ) -> typed.Expression:
        """A duration times or divided by a number."""
        if is_real(right_type) or right_type is UNTYPED_REAL:
            number = self.as_number(right, LREAL, at.right)
        elif is_integer(right_type) or right_type is UNTYPED_INT:
            number = self.as_number(right, LINT, at.right)
        else:
            raise self.mismatch_pair(at, left, right)
        if at.operator == "/" and isinstance(number, typed.Constant) and number.value == 0:
            raise self.problem("division-by-zero", at, "This divides by zero.", "Divide by something else.")
        return typed.Binary(left_type, at.operator, left, number, at.operator_start)

    def assignable(self, at: syntax.Expression) -> typed.Place:
        """The place that an assignment or an output writes to."""
        place = self.place(at)
        if isinstance(place.type, typed.Unit):
            raise self.problem(
                "no-place",
                at,
                f"{self.text(at)} is an instance of {place.type} and cannot be assigned.",
                f"Call it: {self.text(at)}(...);",
            )
        self.check_writable(place, at)
        return place

    def check_writable(self, place: typed.Place, at: syntax.Expression) -> None:
        """Report a place that this unit may not write to."""
        shown, root = self.text(at), place.root
        steps = place.steps
        followed = [i for i, step in enumerate(steps) if isinstance(step, typed.Target)]
        if followed:
            steps = steps[followed[-1] + 1 :]
        elif root.constant:
            raise self.problem(
                "constant-assigned",
                at,
                f"{shown} is a constant.",
                "Remove CONSTANT from its section, or assign to another variable.",
            )
        elif root.section == "input":
            raise self.problem("input-assigned", at, f"{shown} is an input of {self.unit.name}; only the caller gives it a value.",
                               "Copy it into a variable of your own, or make it an output.")  # fmt: skip
        for number, step in enumerate(steps):
            if not isinstance(step, typed.Member):
                continue
            if root.section == "this" and number == 0 and steps is place.steps:
                if step.variable.section == "input":
                    raise self.problem("input-assigned", at, f"{shown} is an input of {step.owner}; only the caller gives it a value.",
                                       "Copy it into a variable of your own, or make it an output.")  # fmt: skip
                continue
            if step.variable.section == "output":
                raise self.problem("output-assigned", at, f"{shown} is an output of {step.owner}; only that block gives it a value.",
                                   "Assign to one of its inputs, or to a variable of your own.")  # fmt: skip

    def receiver(self, at: syntax.Expression) -> typed.Receiver:
        """Where an output or a value goes: a place, or a part of the bit string there."""
        if isinstance(at, syntax.Part):
            place = self.assignable(at.base)
            type_, shift = self.part_bounds(at, place.type)
            return typed.Receiver(place, type_, shift)
        place = self.assignable(at)
        return typed.Receiver(place, place.type, None)

    # --- calls: see the checker of calls ---

    def call(self, at: syntax.Call) -> typed.Expression:
        """The value of a call."""
        raise NotImplementedError


def default_type(literal: typed.Constant) -> Elementary:
    """The type of a bare literal where nothing else decides it."""
    if literal.type is UNTYPED_REAL:
        return LREAL
    value = int(constants.number(literal))
    return next((t for t in (INT, DINT) if t.low <= value <= t.high), LINT)


def pins_of(unit: typed.Unit) -> str:
    """The pins of a unit in a sentence."""
    sections = (
        ("inputs", unit.section("input")),
        ("in-outs", unit.section("in_out")),
        ("outputs", unit.section("output")),
    )
    parts = [f"{title} {', '.join(v.name for v in pins)}" for title, pins in sections if pins]
    return f"Its pins: {'; '.join(parts)}." if parts else "It has no pins."


_CHECK: dict[type, Callable[[ExpressionChecker, Any], typed.Expression]] = {
    syntax.Literal: ExpressionChecker._literal,
    syntax.Name: ExpressionChecker._name,
    syntax.Member: ExpressionChecker._load,
    syntax.Index: ExpressionChecker._load,
    syntax.Dereference: ExpressionChecker._load,
    syntax.Part: ExpressionChecker._part,
    syntax.ArrayValue: ExpressionChecker._no_value,
    syntax.StructureValue: ExpressionChecker._no_value,
    syntax.Unary: ExpressionChecker._unary,
    syntax.Binary: ExpressionChecker._binary,
    syntax.Call: lambda checker, at: checker.call(at),
}

_PLACE: dict[type, Callable[[ExpressionChecker, Any], typed.Place]] = {
    syntax.Name: ExpressionChecker._root,
    syntax.Member: ExpressionChecker._member,
    syntax.Index: ExpressionChecker._index,
    syntax.Dereference: ExpressionChecker._dereference,
}
