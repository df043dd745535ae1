"""Random statements and expressions, each written twice: in Structured Text and in C.

The C follows the standard's rules by other means: wrapping by casts under ``-fwrapv``, division by
helper functions, loops by hand. Nothing here knows how the product compiles.

Three helpers are there for gcc 12, which folds wrongly even without optimization: the maximum of a number
and an absolute value as if the latter were never below zero, which it is for the least integer; zero minus
a converted integer, or plus its negative, to -0.0 where that integer is zero; and the product of a factor and a minimum
to the minimum of two products, which is another number where they wrap.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from random import Random

C_TYPE = {
    "BOOL": "uint8_t",
    "SINT": "int8_t",
    "INT": "int16_t",
    "DINT": "int32_t",
    "LINT": "int64_t",
    "USINT": "uint8_t",
    "UINT": "uint16_t",
    "UDINT": "uint32_t",
    "ULINT": "uint64_t",
    "BYTE": "uint8_t",
    "WORD": "uint16_t",
    "DWORD": "uint32_t",
    "LWORD": "uint64_t",
    "REAL": "float",
    "LREAL": "double",
    "TIME": "int64_t",
}
SIGNED = ("SINT", "INT", "DINT", "LINT")
UNSIGNED = ("USINT", "UINT", "UDINT", "ULINT")
BITS = ("BYTE", "WORD", "DWORD", "LWORD")
REALS = ("REAL", "LREAL")
WIDTH = dict(zip((*SIGNED, *UNSIGNED, *BITS), (8, 16, 32, 64) * 3, strict=True))
NARROWER = {
    "INT": ("SINT", "USINT"),
    "DINT": ("SINT", "INT", "USINT", "UINT"),
    "LINT": ("INT", "DINT", "UDINT"),
    "UINT": ("USINT",),
    "UDINT": ("USINT", "UINT"),
    "ULINT": ("UINT", "UDINT"),
    "WORD": ("BYTE", "BOOL"),
    "DWORD": ("WORD", "BOOL"),
    "LWORD": ("DWORD", "BYTE"),
    "REAL": ("INT", "UINT", "SINT"),
    "LREAL": ("REAL", "DINT", "UDINT", "INT"),
}
C_HEAD = """
#include <stdint.h>
#include <math.h>
#define DIVIDE(T, N) static T div_##N(T a, T b) { return b == (T)-1 && (T)-1 < 0 ? (T)(0 - (uint64_t)a) : (T)(a / b); } \\
    static T mod_##N(T a, T b) { return b == 0 ? 0 : b == (T)-1 && (T)-1 < 0 ? 0 : (T)(a % b); }
DIVIDE(int8_t, SINT) DIVIDE(int16_t, INT) DIVIDE(int32_t, DINT) DIVIDE(int64_t, LINT) DIVIDE(int64_t, TIME)
DIVIDE(uint8_t, USINT) DIVIDE(uint16_t, UINT) DIVIDE(uint32_t, UDINT) DIVIDE(uint64_t, ULINT)
#define EXTREMES(T, N) __attribute__((noinline)) static T min_##N(T a, T b) { return a < b ? a : b; } \\
    __attribute__((noinline)) static T max_##N(T a, T b) { return a > b ? a : b; }
EXTREMES(int8_t, SINT) EXTREMES(int16_t, INT) EXTREMES(int32_t, DINT) EXTREMES(int64_t, LINT)
EXTREMES(uint8_t, USINT) EXTREMES(uint16_t, UINT) EXTREMES(uint32_t, UDINT) EXTREMES(uint64_t, ULINT)
#define ABSOLUTE(T, N) static T abs_##N(T a) { uint64_t sign = (uint64_t)0 - (a < 0); return (T)(((uint64_t)a ^ sign) - sign); }
__attribute__((noinline)) static float plus_REAL(float a, float b) { return a + b; }
__attribute__((noinline)) static double plus_LREAL(double a, double b) { return a + b; }
__attribute__((noinline)) static float minus_REAL(float a, float b) { return a - b; }
__attribute__((noinline)) static double minus_LREAL(double a, double b) { return a - b; }
ABSOLUTE(int8_t, SINT) ABSOLUTE(int16_t, INT) ABSOLUTE(int32_t, DINT) ABSOLUTE(int64_t, LINT)
"""

C_HEAD += "".join(
    f"static void swap_{t}({c} *a, {c} *b) {{ {c} held = *a; *a = *b; *b = held; }}\n" for t, c in C_TYPE.items()
)
C_HEAD += "".join(
    f"static void roll_{t}({c} *a, int n) {{ {c} held = a[0]; for (int i = 1; i < n; i++) a[i - 1] = a[i]; a[n - 1] = held; }}\n"
    for t, c in C_TYPE.items()
)
ST_HEAD = "".join(
    f"FUNCTION Swap_{t} VAR_IN_OUT a, b : {t}; END_VAR VAR held : {t}; END_VAR held := a; a := b; b := held; END_FUNCTION\n"
    f"FUNCTION Roll_{t} VAR_IN_OUT a : ARRAY [*] OF {t}; END_VAR VAR held : {t}; i : DINT; END_VAR "
    "held := a[LOWER_BOUND(a, 1)]; "
    "FOR i := LOWER_BOUND(a, 1) + 1 TO UPPER_BOUND(a, 1) DO a[i - 1] := a[i]; END_FOR; "
    "a[UPPER_BOUND(a, 1)] := held; END_FUNCTION\n"
    for t in C_TYPE
)

Pair = tuple[str, str]


@dataclass
class Unit:
    """A function or block: ``variables`` maps the names of all that can be read to types."""

    name: str
    inputs: dict[str, str]
    private: dict[str, str]
    st: str = ""
    c: str = ""
    result: str = ""
    children: dict[str, Unit] = field(default_factory=dict)
    arrays: dict[str, tuple[str, int, int]] = field(default_factory=dict)
    record: dict[str, str] = field(default_factory=dict)
    bank: Unit | None = None
    record_output: str = ""
    in_outs: dict[str, str] = field(default_factory=dict)
    references: dict[str, str] = field(default_factory=dict)
    base: Unit | None = None
    method: Unit | None = None
    shared: dict[str, str] = field(default_factory=dict)
    temporary: dict[str, str] = field(default_factory=dict)
    edges: dict[str, str] = field(default_factory=dict)

    @property
    def counters(self) -> set[str]:
        """The variables that may count a loop in the body of the unit, or of one that it extends."""
        inherited = self.base.counters if self.base else set()
        return inherited | {name for name in self.private if name[0] == "v"}

    @property
    def inside(self) -> str:
        """What leads in C from the data of the unit to what it inherits."""
        return "base." if self.base else ""

    def fields(self) -> dict[str, tuple[str, str]]:
        """Every elementary variable by its path, with its type and its path in C."""
        own = {name: (type_, f"base.{c}") for name, (type_, c) in (self.base.fields() if self.base else {}).items()}
        own |= {name: (type_, name) for name, type_ in {**self.inputs, **self.private}.items() if name not in own}
        for name, (type_, low, count) in self.arrays.items():
            own |= {f"{name}[{low + i}]": (type_, f"{name}[{i}]") for i in range(count)}
        for name, type_ in self.record.items():
            own[f"rec.{name}"] = type_, f"rec.{name}"
            own |= {f"recs[{i}].{name}": (type_, f"recs[{i + 1}].{name}") for i in range(-1, 2)}
        inner = {name: (name, child) for name, child in self.children.items()}
        if self.bank is not None:
            inner |= {f"more[{i}]": (f"more[{i}]", self.bank) for i in range(3)}
        for name, (_, child) in inner.items():
            own |= {f"{name}.{path}": (type_, f"{name}.{c}") for path, (type_, c) in child.fields().items()}
        return own


class Writer:
    """Writes one unit. ``prefix`` leads to the variables of the unit in C."""

    def __init__(self, random: Random, unit: Unit, functions: list[Unit], prefix: str) -> None:
        self.random = random
        self.unit = unit
        self.functions = functions
        self.prefix = prefix
        self.targets = {**unit.private, **unit.in_outs}
        self.readable = {**unit.inputs, **self.targets}
        self.locked: set[str] = set()
        self.c_names: dict[str, str] = {}
        self.labels = 0
        self.in_loop: list[str] = []
        self.methods: list[tuple[str, str, Unit]] = []
        self.own: set[str] = set()

    def c(self, name: str) -> str:
        """A variable as C names it."""
        if name.endswith("^"):
            return f"(*{self.prefix}{name[:-1]})"
        return self.c_names.get(name, self.prefix + name)

    # --- expressions ---

    def literal(self, type_: str) -> Pair:
        r = self.random
        if type_ == "BOOL":
            value = r.randrange(2)
            return ("TRUE" if value else "FALSE"), str(value)
        if type_ in REALS:
            number = r.choice([0.5, 1.0, -1.5, 3.25, 1e3, 0.1, -2.75e-3, 7.0, 123456.789])
            return f"{type_}#{number!r}", f"(({C_TYPE[type_]}){number!r})"
        if type_ == "TIME":
            value = r.choice([0, 1, 5, 1000, -250, 86_400_000])
            return f"T#{value}ms", f"((int64_t){value * 1_000_000}LL)"
        bits, signed = WIDTH[type_], type_ in SIGNED
        low, high = (-(1 << (bits - 1)), (1 << (bits - 1)) - 1) if signed else (0, (1 << bits) - 1)
        value = r.choice(
            [0, 1, 2, 3, 7, high, low, high - 1, r.randint(low, high), r.randint(low, high) >> (bits // 2)]
        )
        suffix = "LL" if signed else "ULL"
        text = str(value) if value != -(1 << 63) else "(-9223372036854775807LL-1)"
        return f"{type_}#{value}", f"(({C_TYPE[type_]}){text}{suffix if value != -(1 << 63) else ''})"

    def variable(self, type_: str) -> Pair | None:
        names = [name for name, t in self.readable.items() if t == type_]
        names += [f"{name}^" for name, t in self.unit.references.items() if t == type_]
        places = self.places(type_)
        if places and (not names or self.random.random() < 0.3):
            return self.place(self.random.choice(places))
        if not names:
            return None
        name = self.random.choice(names)
        return self.named(name), self.c(name)

    def named(self, name: str) -> str:
        """A variable by its name, or by way of THIS where that leads to it."""
        by_this = name in self.own and self.random.random() < 0.1
        return f"THIS.{name}" if by_this else name

    def places(self, type_: str) -> list[tuple[str, str]]:
        """Arrays of a type, and records with a field of it, as (name, field)."""
        found = [(name, "") for name, (t, _, _) in self.unit.arrays.items() if t == type_]
        for name, t in self.unit.record.items():
            found += [("rec", name), ("recs", name)] if t == type_ else []
        return found

    def place(self, chosen: tuple[str, str]) -> Pair:
        name, part = chosen
        dot = f".{part}" if part else ""
        if name == "rec":
            return f"rec{dot}", f"{self.prefix}rec{dot}"
        _, low, count = self.unit.arrays.get(name, ("", -1, 3))
        st, c = self.index(low, count)
        return f"{name}[{st}]{dot}", f"{self.prefix}{name}[{c}]{dot}"

    def index(self, low: int, count: int) -> Pair:
        """An index that lies in the bounds: known, or computed."""
        if self.random.random() < 0.4:
            at = self.random.randrange(count)
            return str(low + at), str(at)
        names = [n for n, t in self.readable.items() if t in ("UINT", "USINT", "UDINT")]
        if not names:
            return str(low), "0"
        name = self.random.choice(names)
        return f"{self.readable[name]}_TO_INT({name} MOD {count}) + {low}", f"{self.c(name)} % {count}"

    def leaf(self, type_: str) -> Pair:
        found = self.variable(type_) if self.random.random() < 0.75 else None
        if found is None and self.random.random() < 0.2:
            narrow = [v for t in NARROWER.get(type_, ()) if (v := self.variable(t))]
            if narrow:
                st, c = self.random.choice(narrow)
                other, other_c = self.literal(type_)
                operator = "+" if type_ not in BITS else "OR"
                return f"({st} {operator} {other})", self._cast(
                    type_, f"({C_TYPE[type_]}){c} {'+' if operator == '+' else '|'} {other_c}"
                )
        return found or self.literal(type_)

    def _cast(self, type_: str, c: str) -> str:
        return f"(({C_TYPE[type_]})({c}))"

    def expression(self, type_: str, depth: int) -> Pair:
        if depth <= 0:
            return self.leaf(type_)
        make = self.random.choice(self._makers(type_))
        return make(type_, depth - 1)

    def _makers(self, type_: str) -> list[Callable[[str, int], Pair]]:
        makers: list[Callable[[str, int], Pair]] = [self._leaf, self._choose, self._call]
        if type_ == "BOOL":
            return [*makers, self._logic, self._logic, self._not, self._compare, self._compare]
        if type_ in BITS:
            return [*makers, self._logic, self._logic, self._not, self._convert]
        if type_ == "TIME":
            return [*makers, self._arithmetic, self._scaled_time, self._negative]
        if type_ in REALS:
            return [*makers, self._arithmetic, self._arithmetic, self._negative, self._real, self._real]
        makers += [self._arithmetic, self._arithmetic, self._divide, self._extreme, self._convert]
        return [*makers, self._negative, self._absolute] if type_ in SIGNED else makers

    def _leaf(self, type_: str, depth: int) -> Pair:
        return self.leaf(type_)

    def _choose(self, type_: str, depth: int) -> Pair:
        (g, gc), (a, ac), (b, bc) = (self.expression(t, depth - 1) for t in ("BOOL", type_, type_))
        return f"SEL({g}, {a}, {b})", f"({gc} ? {bc} : {ac})"

    def _call(self, type_: str, depth: int) -> Pair:
        fitting = [f for f in self.functions if f.result == type_]
        if not fitting:
            return self.leaf(type_)
        function = self.random.choice(fitting)
        values = [self.expression(t, depth - 1) for t in function.inputs.values()]
        return (
            f"{function.name}({', '.join(st for st, _ in values)})",
            f"{function.name}({', '.join(c for _, c in values)})",
        )

    def _logic(self, type_: str, depth: int) -> Pair:
        (a, ac), (b, bc) = self.expression(type_, depth), self.expression(type_, depth)
        st, c = self.random.choice([("AND", "&"), ("OR", "|"), ("XOR", "^"), ("&", "&")])
        return f"({a} {st} {b})", self._cast(type_, f"{ac} {c} {bc}")

    def _not(self, type_: str, depth: int) -> Pair:
        a, ac = self.expression(type_, depth)
        return f"(NOT {a})", f"(!{ac})" if type_ == "BOOL" else self._cast(type_, f"~{ac}")

    def _compare(self, type_: str, depth: int) -> Pair:
        of = self.random.choice([*SIGNED, *UNSIGNED, *BITS, *REALS, "TIME"])
        (a, ac), (b, bc) = self.expression(of, depth), self.expression(of, depth)
        st, c = self.random.choice([("=", "=="), ("<>", "!="), ("<", "<"), (">", ">"), ("<=", "<="), (">=", ">=")])
        return f"({a} {st} {b})", f"((uint8_t)({ac} {c} {bc}))"

    def _arithmetic(self, type_: str, depth: int) -> Pair:
        (a, ac), (b, bc) = self.expression(type_, depth), self.expression(type_, depth)
        operator = self.random.choice("+-" if type_ == "TIME" else "+-*")
        if operator in "+-" and type_ in REALS:
            helper = {"+": "plus", "-": "minus"}[operator]
            return f"({a} {operator} {b})", f"{helper}_{type_}({ac}, {bc})"
        wide = f"(uint64_t){ac} {operator} (uint64_t){bc}" if type_ not in REALS else f"{ac} {operator} {bc}"
        return f"({a} {operator} {b})", self._cast(type_, wide)

    def _divide(self, type_: str, depth: int) -> Pair:
        a, ac = self.expression(type_, depth)
        if self.random.random() < 0.5:
            b, bc = self.expression(type_, depth)
            return f"({a} MOD {b})", f"mod_{type_}({ac}, {bc})"
        b, bc = self.literal(type_)
        if bc == f"(({C_TYPE[type_]})0{'LL' if type_ in SIGNED else 'ULL'})":
            b, bc = f"{type_}#3", "3"
        if type_ in SIGNED and self.random.random() < 0.3:
            b, bc = f"{type_}#-1", "-1"
        return f"({a} / {b})", f"div_{type_}({ac}, {bc})"

    def _scaled_time(self, type_: str, depth: int) -> Pair:
        a, ac = self.expression("TIME", depth)
        b, bc = self.expression(self.random.choice(["INT", "DINT"]), depth)
        if self.random.random() < 0.5:
            return f"({a} * {b})", self._cast("TIME", f"(uint64_t){ac} * (uint64_t)(int64_t){bc}")
        return f"({a} / INT#7)", f"div_TIME({ac}, 7)"

    def _negative(self, type_: str, depth: int) -> Pair:
        a, ac = self.expression(type_, depth)
        return f"(-{a})", self._cast(type_, f"-{ac}")

    def _absolute(self, type_: str, depth: int) -> Pair:
        a, ac = self.expression(type_, depth)
        return f"ABS({a})", f"abs_{type_}({ac})"

    def _extreme(self, type_: str, depth: int) -> Pair:
        (a, ac), (b, bc) = self.expression(type_, depth - 1), self.expression(type_, depth - 1)
        name = self.random.choice(["MIN", "MAX"])
        return f"{name}({a}, {b})", f"{name.lower()}_{type_}({ac}, {bc})"

    def _convert(self, type_: str, depth: int) -> Pair:
        source = self.random.choice([t for t in (*SIGNED, *UNSIGNED, *BITS) if t != type_])
        a, ac = self.expression(source, depth)
        return f"{source}_TO_{type_}({a})", self._cast(type_, ac)

    def _real(self, type_: str, depth: int) -> Pair:
        kind = self.random.randrange(4)
        if kind == 0:
            source = self.random.choice([*SIGNED, *UNSIGNED])
            a, ac = self.expression(source, depth)
            return f"{source}_TO_{type_}({a})", self._cast(type_, ac)
        if kind == 1:
            other = "LREAL" if type_ == "REAL" else "REAL"
            a, ac = self.expression(other, depth)
            return f"{other}_TO_{type_}({a})", self._cast(type_, ac)
        a, ac = self.expression(type_, depth)
        if kind == 2:
            return f"ABS({a})", f"{'fabsf' if type_ == 'REAL' else 'fabs'}({ac})"
        b, bc = self.literal(type_)
        return f"({a} / {b})", self._cast(type_, f"{ac} / {bc}")

    # --- statements ---

    def body(self, count: int, depth: int) -> Pair:
        pairs = [self.statement(depth) for _ in range(count)]
        return "\n".join(st for st, _ in pairs), "\n".join(c for _, c in pairs)

    def statement(self, depth: int) -> Pair:
        r = self.random
        kinds = ["assign"] * 5 + (["if", "if", "case", "for", "while", "repeat"] if depth > 0 else [])
        kinds += ["leave"] if self.in_loop else []
        kinds += ["instance"] * (2 if self.unit.children else 0)
        kinds += ["store", "store", "copy", "swap", "bit", "record", "roll"] if self.unit.record else []
        kinds += ["point", "through"] if self.unit.references else []
        kinds += ["method"] * 2 if self.methods else []
        kinds += ["run"] if self.unit.children else []
        made: Pair = getattr(self, f"_{r.choice(kinds)}")(depth)
        return made

    def _target(self, *types: str, counts: bool = False) -> tuple[str, str] | None:
        """A variable to assign; one that counts a loop has no other name by which it could change meanwhile."""
        names = [
            n
            for n, t in self.targets.items()
            if n not in self.locked and (not types or t in types) and not (counts and n[0] not in "vl")
        ]
        if not names:
            return None
        name = self.random.choice(names)
        return name, self.targets[name]

    def _assign(self, depth: int) -> Pair:
        target = self._target()
        if target is None:
            return ";", ";"
        name, type_ = target
        st, c = self.expression(type_, 3)
        return f"{self.named(name)} := {st};", f"{self.c(name)} = {c};"

    def _store(self, depth: int) -> Pair:
        """To an element or a field."""
        type_ = self.random.choice([t for t, _, _ in self.unit.arrays.values()] + list(self.unit.record.values()))
        st, c = self.place(self.random.choice(self.places(type_)))
        value, value_c = self.expression(type_, 2)
        return f"{st} := {value};", f"{{ {C_TYPE[type_]} value = {value_c}; {c} = value; }}"

    def _copy(self, depth: int) -> Pair:
        """A record as a whole."""
        st, c = self.index(-1, 3)
        one, two = (f"recs[{st}]", f"{self.prefix}recs[{c}]"), ("rec", f"{self.prefix}rec")
        (a, ac), (b, bc) = (one, two) if self.random.random() < 0.5 else (two, one)
        return f"{a} := {b};", f"{ac} = {bc};"

    def _swap(self, depth: int) -> Pair:
        """Two places of one type handed to a function by address."""
        type_ = self.random.choice(list(self.unit.record.values()))
        places = [self.place(c) for c in self.places(type_)]
        places += [(n, self.c(n)) for n, t in self.targets.items() if t == type_ and n not in self.locked]
        (a, ac), (b, bc) = self.random.choice(places), self.random.choice(places)
        return f"Swap_{type_}(a := {a}, b := {b});", f"swap_{type_}(&{ac}, &{bc});"

    def _roll(self, depth: int) -> Pair:
        """An array of any length."""
        name, (type_, _, count) = self.random.choice(list(self.unit.arrays.items()))
        return f"Roll_{type_}({name});", f"roll_{type_}({self.prefix}{name}, {count});"

    def _shared(self, type_: str) -> Pair:
        """A place that another name may lead to as well: none that counts a loop."""
        places = [self.place(c) for c in self.places(type_)]
        places += [(n, self.c(n)) for n, t in self.targets.items() if t == type_ and n[0] not in "vl"]
        places += [(f"{n}^", self.c(f"{n}^")) for n, t in self.unit.references.items() if t == type_]
        return self.random.choice(places)

    def _point(self, depth: int) -> Pair:
        """A reference to another place."""
        name, type_ = self.random.choice(list(self.unit.references.items()))
        places = [self.place(c) for c in self.places(type_)]
        places += [(n, self.c(n)) for n in self.unit.shared if self.unit.shared[n] == type_]
        st, c = self.random.choice(places)
        return f"{name} := REF({st});", f"{self.prefix}{name} = &{c};"

    def _through(self, depth: int) -> Pair:
        """To what a reference refers to."""
        name, type_ = self.random.choice(list(self.unit.references.items()))
        st, c = self.expression(type_, 2)
        return (
            f"{name}^ := {st};",
            f"{{ {C_TYPE[type_]} *to = {self.prefix}{name}; {C_TYPE[type_]} value = {c}; *to = value; }}",
        )

    def _method(self, depth: int) -> Pair:
        """A method of this instance, of what it extends, or of another instance."""
        st, c, method = self.random.choice(self.methods)
        if "{" in st:
            at, at_c = self.index(0, 3)
            st, c = st.format(at), c.format(at_c)
        target = self._target(method.result)
        values = {p: self.expression(t, 2) for p, t in method.inputs.items()}
        shared = {p: self._shared(t) for p, t in method.in_outs.items()}
        pins = ", ".join(f"{p} := {v}" for p, (v, _) in {**values, **shared}.items())
        made = "".join(f"{C_TYPE[method.inputs[p]]} n{p} = {v}; " for p, (_, v) in values.items())
        given = ", ".join([*(f"n{p}" for p in values), *(f"&{v}" for _, v in shared.values())])
        made += f"{C_TYPE[method.result]} came = {c}, {given}); "
        return (
            (f"{target[0]} := " if target else "") + f"{st}({pins});",
            f"{{ {made}{f'{self.c(target[0])} = came;' if target else ''} }}",
        )

    def _run(self, depth: int) -> Pair:
        """An instance given to a function, which runs its body by the kind of the instance."""
        path, child = self.random.choice(list(self.unit.children.items()))
        base, path_c = child.base or child, f"{self.prefix}{path}.{child.inside}".rstrip(".")
        pin, type_ = next(iter(base.inputs.items()))
        value, value_c = self.expression(type_, 2)
        shared = {p: self._shared(t) for p, t in base.in_outs.items()}
        st = "".join(f", {p} := {v}" for p, (v, _) in shared.items())
        c = "".join(f", &{v}" for _, v in shared.values())
        return (f"V_{base.name}({pin} := {value}, c := {path}{st});", f"V_{base.name}({value_c}, &{path_c}{c});")

    def _record(self, depth: int) -> Pair:
        """A function of records: one by value, one by address, one as the result, and an output."""
        st, c = self.index(-1, 3)
        (given, given_c), (shared, shared_c), (taken, taken_c) = (
            self.random.sample([("rec", "rec"), (f"recs[{st}]", f"recs[{c}]"), ("recs[0]", "recs[1]")], 3)
            if self.random.random() < 0.5
            else [("rec", "rec")] * 3
        )
        output = self._target(self.unit.record_output)
        name, type_ = f"G_{self.unit.name}", self.unit.record_output
        sink, sink_c = (f", o => {output[0]}", f"{self.c(output[0])} = o; ") if output else ("", "")
        d = self.prefix
        return (
            f"{taken} := {name}(r := {given}, x := {shared}{sink});",
            f"{{ R_{self.unit.name} *to = &{d}{taken_c}; {C_TYPE[type_]} o = 0; "
            f"R_{self.unit.name} made = {name}({d}{given_c}, &{d}{shared_c}, &o); {sink_c}*to = made; }}",
        )

    def _bit(self, depth: int) -> Pair:
        """One bit, byte or word of a bit string."""
        target = self._target(*BITS)
        if target is None:
            return self._assign(depth)
        name, type_ = target
        size, part, bits = self.random.choice(
            [p for p in (("X", "BOOL", 1), ("B", "BYTE", 8), ("W", "WORD", 16)) if p[2] < WIDTH[type_] or p[2] == 1]
        )
        number = self.random.randrange(WIDTH[type_] // bits)
        value, value_c = self.expression(part, 2)
        var, mask = self.c(name), (1 << bits) - 1
        return (
            f"{name}.%{size}{number} := {value};\n{name} := {name} XOR {part}_TO_{type_}({name}.%{size}{number});",
            f"{{ uint64_t value = {value_c}; {var} = ({C_TYPE[type_]})(((uint64_t){var} & ~((uint64_t){mask} << {number * bits})) "
            f"| (value << {number * bits})); {var} ^= ({var} >> {number * bits}) & {mask}; }}",
        )

    def _if(self, depth: int) -> Pair:
        (a, ac), (b, bc) = self.expression("BOOL", 2), self.expression("BOOL", 2)
        (one, one_c), (two, two_c), (three, three_c) = (self.body(2, depth - 1) for _ in range(3))
        return (
            f"IF {a} THEN\n{one}\nELSIF {b} THEN\n{two}\nELSE\n{three}\nEND_IF;",
            f"if ({ac}) {{\n{one_c}\n}} else if ({bc}) {{\n{two_c}\n}} else {{\n{three_c}\n}}",
        )

    def _case(self, depth: int) -> Pair:
        type_ = self.random.choice(["SINT", "INT", "DINT", "USINT", "LINT", "BYTE"])
        selector, selector_c = self.expression(type_, 2)
        edges = sorted(self.random.sample(range(0, 120 if self.random.random() < 0.5 else 12), 6))
        arms_st, arms_c = [], []
        for low, high in zip(edges[::2], edges[1::2], strict=True):
            st, c = self.body(1, depth - 1)
            single = self.random.random() < 0.5
            arms_st.append(f"{low}{'' if single else f'..{high}'}:\n{st}")
            arms_c.append(f"if (sel >= {low} && sel <= {low if single else high}) {{\n{c}\n}} else ")
        otherwise, otherwise_c = self.body(1, depth - 1)
        return (
            f"CASE {selector} OF\n" + "\n".join(arms_st) + f"\nELSE\n{otherwise}\nEND_CASE;",
            f"{{ int64_t sel = {selector_c}; " + "".join(arms_c) + f"{{\n{otherwise_c}\n}} }}",
        )

    def _for(self, depth: int) -> Pair:
        target = self._target("SINT", "INT", "DINT", "USINT", "LINT", counts=True)
        if target is None or "." in target[0]:
            return self._assign(depth)
        name, type_ = target
        top = {"SINT": 127, "INT": 32767, "DINT": 2**31 - 1, "USINT": 255, "LINT": 2**63 - 1}[type_]
        first = self.random.choice([0, 1, 5, top - 3])
        last = min(top, first + self.random.randrange(-1, 6))
        if type_ == "USINT":
            last = max(last, 0)
        step = self.random.choice([1, 1, 2, 3])
        if type_ != "USINT" and self.random.random() < 0.3:
            first, last, step = max(last, 0), first - 2, -step
        self.locked.add(name)
        st, c = self._loop_body(depth)
        self.locked.discard(name)
        ctype, unsigned = C_TYPE[type_], C_TYPE[type_].replace("uint", "int").replace("int", "uint")
        var = self.c(name)
        up = step > 0
        return (
            f"FOR {name} := {first} TO {last} BY {step} DO\n{st}\nEND_FOR;",
            f"{{ {ctype} last = ({ctype}){last}LL; {var} = ({ctype}){first}LL; if ({var} {'<=' if up else '>='} last) for (;;) {{\n{c}\n"
            f"{unsigned} rest = ({unsigned})({f'last - {var}' if up else f'{var} - last'}); "
            f"{var} = ({ctype})((uint64_t){var} + (uint64_t){step}LL); if (rest < {abs(step)}) break; }} }}",
        )

    def _loop_body(self, depth: int) -> Pair:
        self.labels += 1
        label = f"next_{self.unit.name}_{self.labels}"
        self.in_loop.append(label)
        st, c = self.body(2, depth - 1)
        self.in_loop.pop()
        return st, f"{c}\n{label}: ;"

    def _counted(self, depth: int) -> tuple[str, str, str, str] | None:
        """A counter that ends a loop, and the body of the loop."""
        target = self._target("INT", "DINT", "UINT", counts=True)
        if target is None:
            return None
        name, type_ = target
        self.locked.add(name)
        st, c = self._loop_body(depth)
        self.locked.discard(name)
        return name, type_, st, c

    def _while(self, depth: int) -> Pair:
        found = self._counted(depth)
        if found is None:
            return self._assign(depth)
        name, _, st, c = found
        var = self.c(name)
        return (
            f"{name} := 0;\nWHILE {name} < 4 DO\n{name} := {name} + 1;\n{st}\nEND_WHILE;",
            f"{var} = 0; while ({var} < 4) {{ {var} = {var} + 1;\n{c}\n}}",
        )

    def _repeat(self, depth: int) -> Pair:
        found = self._counted(depth)
        if found is None:
            return self._assign(depth)
        name, _, st, c = found
        var = self.c(name)
        return (
            f"{name} := 0;\nREPEAT\n{name} := {name} + 1;\n{st}\nUNTIL {name} >= 3 END_REPEAT;",
            f"{var} = 0; do {{ {var} = {var} + 1;\n{c}\n}} while (!({var} >= 3));",
        )

    def _leave(self, depth: int) -> Pair:
        condition, condition_c = self.expression("BOOL", 1)
        if self.random.random() < 0.5:
            return f"IF {condition} THEN EXIT; END_IF;", f"if ({condition_c}) break;"
        return f"IF {condition} THEN CONTINUE; END_IF;", f"if ({condition_c}) goto {self.in_loop[-1]};"

    def _instance(self, depth: int) -> Pair:
        name = name_c = self.random.choice(list(self.unit.children))
        child = self.unit.children[name]
        if self.unit.bank is not None and self.random.random() < 0.5:
            st_index, c_index = self.index(0, 3)
            name, name_c, child = f"more[{st_index}]", f"more[{c_index}]", self.unit.bank
        st, c = self.call_of(name, name_c, child)
        if self.random.random() < 0.2:
            enable, enable_c = self.expression("BOOL", 1)
            return f"{name}(EN := {enable}, {st[len(name) + 1 :]}", f"if ({enable_c}) {c}"
        return st, c

    def call_of(self, name: str, name_c: str, child: Unit, share: float = 0.7, depth: int = 2) -> Pair:
        """A call of an instance, with a share of its inputs and all in-outs."""
        given = [p for p in child.inputs if self.random.random() < share]
        values = {p: self.expression(child.inputs[p], depth) for p in given}
        shared = {p: self._shared(t) for p, t in child.in_outs.items()}
        st = ", ".join(f"{p} := {v}" for p, (v, _) in {**values, **shared}.items())
        c = " ".join(f"{C_TYPE[child.inputs[p]]} n{p} = {v};" for p, (_, v) in values.items())
        c += f"{child.name}_data *child = &{self.prefix}{name_c}; "
        c += " ".join(f"{C_TYPE[child.in_outs[p]]} *s{p} = &{v};" for p, (_, v) in shared.items())
        c += " ".join(f"child->{child.inside}{p} = n{p};" for p in given)
        c += " ".join(f"child->{child.inside}{p} = s{p};" for p in shared)
        return f"{name}({st});", f"{{ {c} {child.name}(child); }}"
