"""Random programs, each written twice: in Structured Text and in C.

A program is some functions, a block with a method, a block that extends it, and the root, which has instances
of both.
"""

from __future__ import annotations

from random import Random

from tests.oracle.writer import C_TYPE, Pair, Unit, Writer


def _variables(random: Random, letter: str, count: int) -> dict[str, str]:
    return {f"{letter}{i}": random.choice(list(C_TYPE)) for i in range(count)}


def _declare(variables: dict[str, str]) -> str:
    return " ".join(f"{n} : {t};" for n, t in variables.items())


def _c_fields(variables: dict[str, str], sign: str = "") -> str:
    return " ".join(f"{C_TYPE[t]} {sign}{n};" for n, t in variables.items())


def _c_zeros(variables: dict[str, str]) -> str:
    return " ".join(f"{C_TYPE[t]} {n} = 0;" for n, t in variables.items())


def make_function(random: Random, name: str, outer: dict[str, str]) -> Unit:
    """A function of a few inputs, which reads global variables."""
    unit = Unit(name, _variables(random, "x", 3), _variables(random, "l", 3), result=random.choice(list(C_TYPE)))
    writer = Writer(random, unit, [], "")
    writer.readable |= outer
    st, c = writer.body(3, 1)
    value, value_c = writer.expression(unit.result, 3)
    unit.st = (
        f"FUNCTION {name} : {unit.result}\nVAR_INPUT {_declare(unit.inputs)} END_VAR\nVAR {_declare(unit.private)} END_VAR\n"
        f"{st}\n{name} := {value};\nEND_FUNCTION\n"
    )
    pins = ", ".join(f"{C_TYPE[t]} {n}" for n, t in unit.inputs.items())
    unit.c = f"static {C_TYPE[unit.result]} {name}({pins}) {{ {_c_zeros(unit.private)}\n{c}\nreturn {value_c}; }}\n"
    return unit


class BlockMaker:
    """Makes the blocks of one program."""

    def __init__(self, random: Random, number: int) -> None:
        self.random = random
        self.outer = {f"W{number}_{i}": t for i, t in enumerate(_variables(random, "W", 2).values())}
        self.functions = [make_function(random, f"F{number}_{i}", self.outer) for i in range(random.randrange(3))]

    def block(
        self, name: str, children: dict[str, Unit], size: int, extended_by: str = "", is_root: bool = False
    ) -> Unit:
        """A block; with ``extended_by`` it has in-outs and a method, which the block of that name overrides."""
        random = self.random
        shared = _variables(random, "u", 2)
        for child in children.values():
            assert child.method is not None
            wanted = [*child.in_outs.values(), *child.method.in_outs.values()]
            shared |= {f"u{len(shared) + i}": t for i, t in enumerate(wanted)}
        final = {f"h{i}": t for i, t in enumerate(self.outer.values())} if is_root else {}
        unit = Unit(
            name, _variables(random, "i", 5), {**_variables(random, "v", 9), **shared, **final}, children=children
        )
        unit.shared = shared
        unit.references = {f"p{i}": t for i, t in enumerate(shared.values())}
        unit.edges = {i: random.choice("RF") for i, t in unit.inputs.items() if t == "BOOL" and random.random() < 0.5}
        unit.record = _variables(random, "f", 3)
        unit.arrays = {
            f"a{i}": (t, random.randrange(-3, 3), random.randrange(1, 6))
            for i, t in enumerate(_variables(random, "a", 2).values())
        }
        unit.record_output = random.choice(list(C_TYPE))
        unit.bank = next(iter(children.values()), None)
        record_st, record_c = _record_function(random, unit, self.functions)
        method_st = method_c = ""
        if extended_by:
            unit.in_outs = _variables(random, "z", 2)
            unit.method = self._method_head(unit)
            method_st, method_c = self._method(unit)
        writer = self._writer(unit, extended_by)
        begin = [(f"{p} := REF(u{i});", f"d->{p} = &d->u{i};") for i, p in enumerate(unit.references)]
        begin += [writer.call_of(path, path, child, 0.2, 1) for path, child in _instances(unit)]
        body_st, body_c = writer.body(size, 2)
        end = [(f"{h} := {w};", f"d->{h} = {w};") for h, w in zip(final, self.outer, strict=False)]
        st = "\n".join([*(s for s, _ in begin), body_st, *(s for s, _ in end)])
        c = "\n".join([*(s for _, s in begin), body_c, *(s for _, s in end)])
        self._finish(unit, extended_by, (record_st, record_c), (method_st, method_c), (st, c))
        return unit

    def _writer(self, unit: Unit, extended_by: str) -> Writer:
        """The writer of the body of a block."""
        writer = Writer(self.random, unit, self.functions, "d->")
        self._outer(writer, unit)
        temporary = _variables(self.random, "t", 2)
        unit.temporary = temporary
        writer.targets |= temporary
        writer.readable |= temporary
        writer.c_names |= {t: t for t in temporary}
        for path, child in _instances(unit):
            assert child.method is not None
            call = f"{child.name}_M(&d->{path}" if child.base else f"{child.name}_call(&d->{path}"
            writer.methods.append((f"{path}.M", call, child.method))
            writer.readable |= {f"{path}.{v}": t for v, t in child.inputs.items()}
            writer.c_names |= {f"{path}.{v}": f"d->{path}.{child.inside}{v}" for v in child.inputs}
        if extended_by:
            assert unit.method is not None
            writer.methods.append((self.random.choice(["M", "THIS.M"]), f"{unit.name}_call(d", unit.method))
        return writer

    def _outer(self, writer: Writer, unit: Unit) -> None:
        """Make known to a writer what stands outside its unit, and names that are others in C."""
        writer.targets |= self.outer
        writer.readable |= self.outer
        writer.c_names |= {w: w for w in self.outer}
        writer.c_names |= {z: f"(*d->{z})" for z in unit.in_outs}
        writer.c_names |= {i: f"d->{i}_q" for i in unit.edges}
        writer.own |= {*unit.inputs, *unit.private, *unit.in_outs}

    def _method_head(self, unit: Unit) -> Unit:
        """The pins of a method; its own data is that of each body."""
        return Unit(
            "M",
            _variables(self.random, "x", 2),
            {},
            result=self.random.choice(list(C_TYPE)),
            in_outs={"y0": unit.shared["u0"]},
        )

    def _method(self, unit: Unit) -> Pair:
        """The method M of a block: of its own, or one that overrides that of its base."""
        assert unit.method is not None
        head, base = unit.method, unit.base
        own = _variables(self.random, "l", 2)
        data = Unit(
            "M",
            {**unit.inputs, **head.inputs},
            {**unit.private, **own},
            in_outs=unit.in_outs,
            references=unit.references,
            shared=unit.shared,
        )
        writer = Writer(self.random, data, self.functions, "d->")
        self._outer(writer, unit)
        writer.targets |= {"y0": head.in_outs["y0"], "M": head.result}
        writer.readable |= writer.targets
        writer.c_names |= {n: n for n in (*head.inputs, *own)} | {"y0": "(*y0)", "M": "result"}
        if base is not None:
            self._inherited(writer, base)
            writer.methods.append(("SUPER.M", f"{base.name}_M(&d->base", head))
        # what counts a loop of a body is not changed by a method that the loop calls
        writer.targets = {n: t for n, t in writer.targets.items() if n not in unit.counters}
        st, c = writer.body(3, 1)
        result = C_TYPE[head.result]
        return (
            f"METHOD PUBLIC {'OVERRIDE ' if base else ''}M : {head.result}\nVAR_INPUT {_declare(head.inputs)} END_VAR "
            f"VAR_IN_OUT {_declare(head.in_outs)} END_VAR VAR {_declare(own)} END_VAR\n{st}\nEND_METHOD\n",
            f"static {result} {_method_pins(unit.name, head)} {{ {result} result = 0; {_c_zeros(own)}\n{c}\nreturn result; }}\n",
        )

    def _inherited(self, writer: Writer, base: Unit) -> None:
        """What a block reaches of the one that it extends."""
        below = {**base.private, **base.in_outs}
        writer.targets |= below
        writer.readable |= {**below, **base.inputs}
        writer.c_names |= {n: f"d->base.{n}" for n in (*base.private, *base.inputs)}
        writer.c_names |= {z: f"(*d->base.{z})" for z in base.in_outs}
        writer.c_names |= {i: f"d->base.{i}_q" for i in base.edges}
        writer.own |= below.keys()

    def _finish(self, unit: Unit, extended_by: str, record: Pair, method: Pair, body: Pair) -> None:
        """The texts of a block from its parts."""
        name = unit.name
        inner = " ".join(f"{n} : {u.name};" for n, u in unit.children.items())
        inner += " ".join(
            f"{n} : ARRAY [{low}..{low + count - 1}] OF {t};" for n, (t, low, count) in unit.arrays.items()
        )
        inner += f"more : ARRAY [0..2] OF {unit.bank.name};" if unit.bank else ""
        inner += f" rec : R_{name}; recs : ARRAY [-1..1] OF R_{name};"
        inner += " ".join(f"{p} : REF_TO {t};" for p, t in unit.references.items())
        inputs = " ".join(
            f"{n} : {t}{f' {unit.edges[n]}_EDGE' if n in unit.edges else ''};" for n, t in unit.inputs.items()
        )
        unit.st = (
            f"TYPE R_{name} : STRUCT {_declare(unit.record)} END_STRUCT; END_TYPE\n{record[0]}"
            f"FUNCTION_BLOCK {name}\nVAR_INPUT {inputs} END_VAR\nVAR_IN_OUT {_declare(unit.in_outs)} END_VAR\n"
            f"VAR_TEMP {_declare(unit.temporary)} END_VAR\nVAR {_declare(unit.private)} {inner} END_VAR\n"
            f"{method[0]}{body[0]}\nEND_FUNCTION_BLOCK\n"
        )
        fields = f"int kind; {_c_fields({**unit.inputs, **unit.private})} {_c_fields(unit.in_outs, '*')}"
        fields += _c_fields(unit.references, "*") + "".join(f"uint8_t {i}_m, {i}_q;" for i in unit.edges)
        fields += " ".join(f"{u.name}_data {n};" for n, u in unit.children.items())
        fields += " ".join(f"{C_TYPE[t]} {n}[{count}];" for n, (t, _, count) in unit.arrays.items())
        fields += f" R_{name} rec; R_{name} recs[3];"
        fields += f" {unit.bank.name}_data more[3];" if unit.bank else ""
        unit.c = f"typedef struct {{ {_c_fields(unit.record)} }} R_{name};\n{record[1]}"
        unit.c += f"typedef struct {name}_data {{ {fields} }} {name}_data;\n"
        unit.c += _chooser(unit, extended_by, method[1])
        kinds = "".join(f"d->{path}.base.kind = 1; " for path, u in unit.children.items() if u.base)
        unit.c += (
            f"static void {name}_body({name}_data *d) {{ {_c_zeros(unit.temporary)} {kinds}\n{body[1]}\n}}\n"
            f"static void {name}({name}_data *d) {{ {_detect(unit, 'd->')} {name}_body(d); }}\n"
        )

    def extension(self, name: str, base: Unit) -> Unit:
        """A block that extends another: it overrides the method, and runs the body of the other within its own."""
        random = self.random
        unit = Unit(name, base.inputs, _variables(random, "v", 0), in_outs=base.in_outs, base=base)
        unit.private = {"e0": random.choice(list(C_TYPE)), "e1": base.shared["u0"]}
        unit.shared, unit.method = {}, base.method
        method_st, method_c = self._method(unit)
        writer = Writer(random, unit, self.functions, "d->")
        self._outer(writer, unit)
        self._inherited(writer, base)
        before_st, before_c = writer.body(2, 1)
        runner_st, runner_c = _runner(base, name)
        assert unit.method is not None
        writer.methods = [("M", f"{name}_M(d", unit.method), ("SUPER.M", f"{base.name}_M(&d->base", unit.method)]
        after_st, after_c = writer.body(2, 1)
        unit.st = (
            f"FUNCTION_BLOCK {name} EXTENDS {base.name}\nVAR {_declare(unit.private)} END_VAR\n"
            f"{method_st}{before_st}\nSUPER();\n{after_st}\nEND_FUNCTION_BLOCK\n{runner_st}"
        )
        unit.c = (
            f"typedef struct {name}_data {{ {base.name}_data base; {_c_fields(unit.private)} }} {name}_data;\n{method_c}"
            f"static void {name}({name}_data *d) {{ {_detect(base, 'd->base.')}\n{before_c}\n{base.name}_body(&d->base);\n{after_c}\n}}\n{runner_c}"
        )
        return unit


def _instances(unit: Unit) -> list[tuple[str, Unit]]:
    """The instances in a block, with their paths."""
    bank = [(f"more[{i}]", unit.bank) for i in range(3)] if unit.bank else []
    return [*unit.children.items(), *bank]


def _method_pins(owner: str, method: Unit) -> str:
    pins = [f"{C_TYPE[t]} {n}" for n, t in method.inputs.items()]
    pins += [f"{C_TYPE[t]} *{n}" for n, t in method.in_outs.items()]
    return f"{owner}_M(struct {owner}_data *d, {', '.join(pins)})"


def _chooser(unit: Unit, extended_by: str, method: str) -> str:
    """The method of a block in C, and what calls it, or the one that overrides it, by the kind of the instance."""
    if not extended_by:
        return ""
    assert unit.method is not None
    result, head = C_TYPE[unit.method.result], _method_pins(extended_by, unit.method)
    given = ", ".join((*unit.method.inputs, *unit.method.in_outs))
    caller = _method_pins(unit.name, unit.method).replace("_M(", "_call(")
    return (
        f"{method}struct {extended_by}_data; static {result} {head};\n"
        f"static {result} {caller} {{ return d->kind ? {extended_by}_M((struct {extended_by}_data *)d, {given}) : {unit.name}_M(d, {given}); }}\n"
    )


def _runner(base: Unit, extended_by: str) -> Pair:
    """A function that runs the body of an instance of a block, or of the one that extends it."""
    pin, type_ = next(iter(base.inputs.items()))
    given = "".join(f", {z} := {z}" for z in base.in_outs)
    pins = "".join(f", {C_TYPE[t]} *{z}" for z, t in base.in_outs.items())
    name = base.name
    return (
        f"FUNCTION V_{name} VAR_INPUT {pin} : {type_}; END_VAR VAR_IN_OUT c : {name}; {_declare(base.in_outs)} END_VAR "
        f"c({pin} := {pin}{given}); END_FUNCTION\n",
        f"static void V_{name}({C_TYPE[type_]} {pin}, {name}_data *c{pins}) {{ c->{pin} = {pin}; "
        + "".join(f"c->{z} = {z}; " for z in base.in_outs)
        + f"if (c->kind) {extended_by}(({extended_by}_data *)c); else {name}(c); }}\n",
    )


def _detect(unit: Unit, data: str) -> str:
    """What finds the edges of inputs at the start of a body."""
    found = ""
    for name, kind in unit.edges.items():
        signal = f"{'!' if kind == 'F' else ''}{data}{name}"
        found += f"{data}{name}_q = {signal} && !{data}{name}_m; {data}{name}_m = {signal}; "
    return found


def _record_function(random: Random, block: Unit, functions: list[Unit]) -> Pair:
    """A function of the records of a block, in both languages."""
    name, record = f"G_{block.name}", f"R_{block.name}"
    own = _variables(random, "l", 2)
    unit = Unit(name, {f"r.{f}": t for f, t in block.record.items()}, {**own, "o": block.record_output})
    for part in (name, "x"):
        unit.private |= {f"{part}.{f}": t for f, t in block.record.items()}
    writer = Writer(random, unit, functions, "")
    writer.c_names = {"o": "(*o)"} | {f"x.{f}": f"x->{f}" for f in block.record}
    writer.c_names |= {f"{name}.{f}": f"made.{f}" for f in block.record}
    st, c = writer.body(4, 1)
    pins = f"VAR_INPUT r : {record}; END_VAR VAR_OUTPUT o : {block.record_output}; END_VAR VAR_IN_OUT x : {record}; END_VAR"
    zero = " ".join(f"{C_TYPE[t]} {n} = 0;" for n, t in own.items())
    return (
        f"FUNCTION {name} : {record}\n{pins} VAR {_declare(own)} END_VAR\n{st}\nEND_FUNCTION\n",
        f"static {record} {name}({record} r, {record} *x, {C_TYPE[block.record_output]} *o) {{ "
        f"{record} made = {{0}}; {zero}\n{c}\nreturn made; }}\n",
    )


def make_program(random: Random, number: int) -> list[Unit]:
    """A whole program; the last unit is its root."""
    maker = BlockMaker(random, number)
    child = maker.block(f"C{number}", {}, random.randrange(1, 5), extended_by=f"E{number}")
    extension = maker.extension(f"E{number}", child)
    root = maker.block(f"P{number}", {"one": child, "two": extension}, random.randrange(2, 6), is_root=True)
    outer = Unit("", {}, {})
    outer.st = f"VAR_GLOBAL {_declare(maker.outer)} END_VAR\n"
    outer.c = "".join(f"static {C_TYPE[t]} {w};\n" for w, t in maker.outer.items())
    return [outer, *maker.functions, child, extension, root]
