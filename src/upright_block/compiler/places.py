"""Where values are while a body runs, as WebAssembly text.

An elementary variable of the unit itself is a WebAssembly local; everything else lies in memory and is
reached by an address on the stack and an offset known before the run. Data of functions lies at fixed
addresses of its own, since no unit can call itself. See `bodies` for where the locals come from.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from upright_block.compiler.code import Code
from upright_block.compiler.instructions import conversion, load, store, value_type
from upright_block.compiler.layout import alignment_of, element_number, initial_of, layout_of, size_of
from upright_block.compiler.overlay import Usage
from upright_block.language import typed
from upright_block.language.nodes import fresh, record, state
from upright_block.language.types import (
    BOUNDS_AT,
    LINT,
    STRING_HEAD,
    ULINT,
    Array,
    Elementary,
    OpenArray,
    String,
    Type,
    is_integer,
)


@state
class Frame:
    """The unit whose statements are being written, and where its data is.

    ``base`` is the local with the address that ``offset`` counts from, where the unit keeps data.
    ``touched`` are the variables that live in locals, ``pointers`` those that a local has the address of,
    ``homes`` those of a function that lie in memory, ``mirrors`` the locals that may have the value of one in memory.
    """

    unit: typed.Unit
    prefix: str
    base: str
    offset: int
    leave: str
    usage: Usage
    touched: dict[typed.Variable, str] = fresh(default_factory=dict)
    written: set[typed.Variable] = fresh(default_factory=set)
    pointers: dict[typed.Variable, str] = fresh(default_factory=dict)
    homes: dict[typed.Variable, str] = fresh(default_factory=dict)
    mirrors: dict[typed.Variable, str] = fresh(default_factory=dict)


@record
class Fact:
    """What is known of a variable of the unit at this point of a body: it lies from ``low`` to ``high``, where they are
    known; and where it ``is_mirrored`` it lives in memory and a local, its mirror, has the same value.
    """

    is_mirrored: bool = False
    low: int | None = None
    high: int | None = None

    def met(self, other: Fact) -> Fact:
        """What is known where this is known on one way, and ``other`` on another."""
        low = None if self.low is None or other.low is None else min(self.low, other.low)
        high = None if self.high is None or other.high is None else max(self.high, other.high)
        return Fact(self.is_mirrored and other.is_mirrored, low, high)


Known = dict[typed.Variable, Fact]
MIRRORED = Fact(is_mirrored=True)


def met(ways: Sequence[Known]) -> Known:
    """What is known where several ways meet."""
    found = dict(ways[0])
    for way in ways[1:]:
        found = {v: fact if way[v] is fact else fact.met(way[v]) for v, fact in found.items() if v in way}
    return found


_NEAR_ZERO = 1 << 16
_FAR = 6


class PlaceEmitter:
    """Reaches the places of one WebAssembly function."""

    def __init__(self, code: Code, unit: typed.Unit, use: Usage) -> None:
        self.code = code
        self.out: list[str] = []
        self.locals: dict[str, str] = {}
        self.counter = 0
        self.free: dict[str, list[str]] = {}
        self.taken: list[tuple[str, str]] = []
        self.uses_budget = False
        self.calls = 0
        self.loop_labels: list[str] = []
        self.facts: Known = {}
        self.statement = 0
        self.at: typed.Statement | None = None
        self.row = ""
        self.columns: dict[object, tuple[int, bool]] = {}
        self.frame = Frame(unit, "v.", "$self", 0, "$leave", use)

    # --- locals ---

    def local(self, variable: typed.Variable) -> str:
        """The local that an elementary variable lives in."""
        frame = self.frame
        name = frame.touched.get(variable)
        if name is None:
            name = f"${frame.prefix}{variable.key}"
            frame.touched[variable] = name
            self.locals.setdefault(name, value_type(elementary(variable)))
        return name

    def temporary(self, held: str) -> str:
        """A local for an intermediate value, which is its own until the statement at hand ends.

        A function may have fifty thousand locals and no more, and what compiles it takes a time and a memory
        that grow with them.
        """
        free = self.free.setdefault(held, [])
        if free:
            name = free.pop()
        else:
            self.counter += 1
            name = f"$t{self.counter}"
            self.locals[name] = held
        self.taken.append((held, name))
        return name

    def label(self, stem: str) -> str:
        """A new label."""
        self.counter += 1
        return f"${stem}{self.counter}"

    # --- addresses ---

    def is_own(self, place: typed.Place) -> bool:
        """Whether a place is an elementary variable of the unit whose address nobody else knows."""
        return place.is_plain and place.root not in self.code.pinned

    def mirror(self, variable: typed.Variable) -> str:
        """The local that has the value of a variable which lives in memory, wherever a fact says so."""
        frame = self.frame
        name = frame.mirrors.get(variable)
        if name is None:
            name = frame.mirrors[variable] = f"$m.{frame.prefix}{variable.key}"
            self.locals.setdefault(name, value_type(elementary(variable)))
        return name

    def is_local(self, place: typed.Place) -> bool:
        """Whether a place is a WebAssembly local here, and not in memory."""
        if not place.is_plain:
            return False
        frame = self.frame
        return place.root not in (frame.usage.seldom if frame.unit.keeps_data else self.code.pinned)

    def address(self, place: typed.Place) -> int:
        """Put an address on the stack, and return the offset from it to the place."""
        if self.columns and place in self.columns:
            column, is_own = self.columns[place]
            base = f" {self.self_address(self.frame.offset)} i32.add" if is_own else ""
            self.out.append(f"local.get {self.row} i32.load offset={column}{base}")
            return 0
        steps = place.steps
        if steps and isinstance(steps[0], typed.Target) and self.is_local(typed.whole(place.root)):
            self.out.append(f"local.get {self.local(place.root)}")
            self._check_target(steps[0])
            offset, steps = 0, steps[1:]
        else:
            offset = self._root(place.root)
        for step in steps:
            match step:
                case typed.Member(owner=owner, variable=variable):
                    offset += layout_of(owner).offsets[variable]
                case typed.Element(array=OpenArray() as array):
                    offset = self._open_element(step, array, self._settled(offset))
                case typed.Bound(dimension=dimension, is_high=is_high):
                    offset += BOUNDS_AT + 8 * dimension + 4 * is_high
                case typed.Element(array=String() as text):
                    offset = self._character(step, text, self._settled(offset))
                case typed.Element():
                    offset += self._element(step)
                case typed.Target():
                    if self.code.mode.trails:
                        from upright_block.compiler.trails import referred

                        referred(self, place, step, self._settled(offset))
                    else:
                        self.out.append(f"i32.load offset={self._settled(offset)}")
                    self._check_target(step)
                    offset = 0
        return self._settled(offset)

    def _settled(self, offset: int) -> int:
        """An offset that an instruction can have: one below zero is added to the address on the stack."""
        if offset >= 0:
            return offset
        self.out.append(f"i32.const {offset} i32.add")
        return 0

    def _root(self, variable: typed.Variable) -> int:
        frame = self.frame
        if variable.section == "this":
            self.out.append(f"local.get {frame.base}")
            return frame.offset
        if variable.is_code:
            self.out.append(f"i32.const {self.code.known(initial_of(variable.type, variable.initial), 8)}")
            return 0
        if variable.section == "global":
            self.out.append(f"i32.const {self.code.address(variable)}")
            return 0
        if variable in frame.pointers:
            self.out.append(f"local.get {frame.pointers[variable]}")
            return 0
        if not frame.unit.keeps_data:
            self.out.append(f"i32.const {self.home(variable)}")
            return 0
        offset = frame.offset + layout_of(frame.unit).offsets[variable]
        if variable.section == "in_out" and not isinstance(variable.type, OpenArray):
            pointer = f"${frame.prefix}{variable.key}.at"
            self.locals[pointer] = "i32"
            frame.pointers[variable] = pointer
            self.out.append(f"local.get {pointer}")
            return 0
        self.out.append(f"local.get {frame.base}")
        return offset

    def home(self, variable: typed.Variable) -> str:
        """The address of a variable of a function that lies in memory."""
        homes = self.frame.homes
        if variable not in homes:
            homes[variable] = self.code.room(size_of(variable.type), alignment_of(variable.type))
        return homes[variable]

    def _element(self, step: typed.Element) -> int:
        """Add the distance to an element to the address on the stack; return what is known before the run."""
        assert isinstance(step.array, Array)
        stride = size_of(step.array.element)
        if all(isinstance(index, typed.Constant) for index in step.indices):
            return element_number(step) * stride
        ((low, high), *others) = step.array.bounds
        if not others and self._is_inside(step.indices[0], low, high):
            self.expression(step.indices[0])
            self.out.append(f"i32.const {stride} i32.mul i32.add" if stride > 1 else "i32.add")
            return -low * stride
        for number, (index, (low, high)) in enumerate(zip(step.indices, step.array.bounds, strict=True)):
            count = high - low + 1
            self._index(index, low, count, step.start)
            if number:
                self.out.append("i32.add")
            if number < len(step.indices) - 1:
                after_low, after_high = step.array.bounds[number + 1]
                self.out.append(f"i32.const {after_high - after_low + 1} i32.mul")
        scaled = "" if stride == 1 else f"i32.const {stride} i32.mul "
        self.out.append(f"{scaled}i32.add")
        return 0

    def _is_inside(self, index: typed.Expression, low: int, high: int) -> bool:
        """Whether an index of 32 bits is known to lie between its bounds, and these begin not far above zero.

        An index below zero would lead to an address below zero, which the offset of an instruction does not mend.
        """
        assert isinstance(index.type, Elementary)
        if value_type(index.type) != "i32" or not 0 <= low <= _NEAR_ZERO:
            return False
        least, most = self.interval(index)
        return low <= least and most <= high

    def _open_element(self, step: typed.Element, array: OpenArray, offset: int) -> int:
        """Turn the address of an array's description, less ``offset``, into that of an element; its offset is none."""
        about = self.temporary("i32")
        self.out.append(f"i32.const {offset} i32.add local.set {about}" if offset else f"local.set {about}")
        for dimension, index in enumerate(step.indices):
            assert isinstance(index.type, Elementary)
            low = f"local.get {about} i64.load32_s offset={BOUNDS_AT + 8 * dimension}"
            high = f"local.get {about} i64.load32_s offset={BOUNDS_AT + 8 * dimension + 4}"
            count = f"{high} {low} i64.sub i64.const 1 i64.add"
            if dimension:
                self.out.append(f"{count} i32.wrap_i64 i32.mul")
            number = self.temporary("i64")
            self.expression(index)
            self.out.append(f"{conversion(index.type.base, LINT)} local.tee {number}")
            if index.type.base is ULINT:
                self.out.append(f"i64.const 0x7fffffffffffffff local.get {number} i64.const 0 i64.ge_s select")
            self.out.append(f"{low} i64.sub {count} i64.ge_u")
            self.fault_if(step.start, "index outside the array")
            self.out.append(f"local.get {number} {low} i64.sub i32.wrap_i64" + (" i32.add" if dimension else ""))
        stride = size_of(array.element)
        scaled = "" if stride == 1 else f"i32.const {stride} i32.mul "
        self.out.append(f"{scaled}local.get {about} i32.load i32.add")
        return 0

    def describe(self, array: Array, target: str, offset: int) -> None:
        """Write the address on the stack, and the bounds of the array there, to where the instructions ``target``
        lead.
        """
        address = self.temporary("i32")
        self.out.append(f"local.set {address} {target} local.get {address} i32.store offset={offset}")
        bounds = [bound for both in array.bounds for bound in both]
        for number, bound in enumerate(bounds):
            self.out.append(f"{target} i32.const {bound} i32.store offset={offset + BOUNDS_AT + 4 * number}")
        if self.code.mode.trails:
            size = BOUNDS_AT + 4 * len(bounds)
            self.out.append(f"{target} i32.const {offset} i32.add i32.const {size} call $tell_written")

    def _character(self, step: typed.Element, text: String, offset: int) -> int:
        """Turn the address of a text, less ``offset``, into that of a character; the offset from there to it."""
        (index,) = step.indices
        assert isinstance(index.type, Elementary)
        held = value_type(index.type)
        address, number = self.temporary("i32"), self.temporary(held)
        self.out.append(f"i32.const {offset} i32.add local.tee {address}" if offset else f"local.tee {address}")
        self.expression(index)
        length = "i32.load" if held == "i32" else "i64.load32_u"
        self.out.append(f"{held}.const 1 {held}.sub local.tee {number} local.get {address} {length} {held}.ge_u")
        self.fault_if(step.start, "index outside the text")
        scaled = "" if text.width == 1 else f"i32.const {text.width} i32.mul "
        self.out.append(f"local.get {number} {'i32.wrap_i64 ' if held == 'i64' else ''}{scaled}i32.add")
        return STRING_HEAD

    def _index(self, index: typed.Expression, low: int, count: int, start: int) -> None:
        """Put an index on the stack, counted from 0; one that lies outside is a fault."""
        type_ = index.type
        assert isinstance(type_, Elementary)
        held = value_type(type_)
        self.expression(index)
        from_low = f"{held}.const {low} {held}.sub" if low else ""
        wrap = " i32.wrap_i64" if held == "i64" else ""
        high = low + count - 1
        least, most = self.interval(index)
        if isinstance(index, typed.Constant) or (low <= least and most <= high):
            self.out.append(from_low + wrap)
            return
        number = self.temporary(held)
        limit, before, after = count, from_low, ""
        if low < 0 <= least:
            # a great unsigned index less a bound below zero would come round to a small one
            limit, before, after = max(high + 1, 0), "", from_low
        self.out.append(f"{before} local.tee {number} {held}.const {limit} {held}.ge_u")
        self.fault_if(start, f"index outside {low}..{high}")
        self.out.append(f"local.get {number} {after}{wrap}")
        if isinstance(index, typed.Load) and self.is_own(index.place):
            self.learn(index.place.root, low, high)

    def interval(self, node: typed.Expression, depth: int = 0) -> tuple[int, int]:
        """The least and the greatest value that an integer expression can have here, so far as a short look tells."""
        assert isinstance(node.type, Elementary)
        type_ = node.type.base
        widest = type_.low, type_.high
        if depth == _FAR:
            return widest
        match node:
            case typed.Constant(value=value):
                return int(value), int(value)
            case typed.Load(place=place) if self.is_own(place):
                fact = self.facts.get(place.root)
                low = widest[0] if fact is None or fact.low is None else max(widest[0], fact.low)
                high = widest[1] if fact is None or fact.high is None else min(widest[1], fact.high)
                return low, high
            case typed.Convert(operand=operand) if isinstance(operand.type, Elementary) and is_integer(operand.type):
                found = self.interval(operand, depth + 1)
            case typed.Binary(operator=operator, left=left, right=typed.Constant(value=value)):
                found = _moved(operator, *self.interval(left, depth + 1), int(value))
            case _:
                return widest
        return found if type_.low <= found[0] and found[1] <= type_.high else widest

    def stays_inside(self, node: typed.Expression) -> bool:
        """Whether an integer operation is known to give a value inside its type, so that it never wraps."""
        if not isinstance(node.type, Elementary) or not is_integer(node.type):
            return False
        base = node.type.base
        return self.interval(node) != (base.low, base.high)

    def forget(self, variable: typed.Variable) -> None:
        """Drop what is known of a variable, since it is assigned."""
        self.facts.pop(variable, None)

    def learn(self, variable: typed.Variable, low: int, high: int) -> None:
        """Note that a variable lies from a low to a high value, beside what is known of it."""
        known = self.facts.get(variable, Fact())
        low = low if known.low is None else max(low, known.low)
        high = high if known.high is None else min(high, known.high)
        self.facts[variable] = Fact(known.is_mirrored, low, high)

    def _check_target(self, step: typed.Target) -> None:
        """A reference that is NULL is a fault."""
        pointer = self.temporary("i32")
        self.out.append(f"local.tee {pointer} i32.eqz")
        self.fault_if(step.start, "reference to nothing")
        self.out.append(f"local.get {pointer}")

    def push_address(self, place: typed.Place) -> None:
        """Put the address of a place on the stack."""
        offset = self.address(place)
        if offset:
            self.out.append(f"i32.const {offset} i32.add")

    def instance(self, place: typed.Place) -> tuple[str, int]:
        """The local with an address, and the offset from it to an instance."""
        mark = len(self.out)
        offset = self.address(place)
        if self.out[mark:] == [f"local.get {self.frame.base}"]:
            del self.out[mark:]
            return self.frame.base, offset
        pointer = self.temporary("i32")
        self.out.append(f"local.set {pointer}")
        return pointer, offset

    def self_address(self, offset: int) -> str:
        """Instructions for the address ``offset`` bytes from the base of this frame."""
        base = f"local.get {self.frame.base}"
        return f"{base} i32.const {offset} i32.add" if offset else base

    # --- values ---

    def read(self, place: typed.Place) -> None:
        """Put the value of a place on the stack, or its address where it is not elementary."""
        if not isinstance(place.type, Elementary):
            self.push_address(place)
        elif self.is_local(place):
            self.out.append(f"local.get {self.local(place.root)}")
        elif self.is_own(place):
            mirror = self.mirror(place.root)
            fact = self.facts.get(place.root)
            if fact is not None and fact.is_mirrored:
                self.out.append(f"local.get {mirror}")
                return
            offset = self.address(place)
            self.out.append(f"{load(place.type)} offset={offset} local.tee {mirror}")
            self.facts[place.root] = MIRRORED if fact is None else Fact(is_mirrored=True, low=fact.low, high=fact.high)
        else:
            offset = self.address(place)
            self.out.append(f"{load(place.type)} offset={offset}")

    def write(self, place: typed.Place, value: Callable[[], None]) -> None:
        """Store into a place what ``value`` puts on the stack: a value, or the address of one."""
        if self.is_local(place):
            value()
            self.out.append(f"local.set {self.local(place.root)}")
            self.frame.written.add(place.root)
            self.forget(place.root)
            return
        if not isinstance(place.type, Elementary):
            self.push_address(place)
            kept = self._kept()
            if isinstance(place.type, String):
                self.out.append(f"i32.const {place.type.capacity}")
            value()
            self.out.append(copy_instructions(place.type))
            self.written(kept, 0, place.type)
            return
        offset = self.address(place)
        kept = self._kept()
        value()
        if self.is_own(place):
            self.out.append(f"local.tee {self.mirror(place.root)}")
            self.facts[place.root] = MIRRORED
        self.out.append(f"{store(place.type)} offset={offset}")
        self.written(kept, offset, place.type)

    def _kept(self) -> str:
        """A local with a copy of the address that is on the stack, where somebody asks what was written."""
        if not self.code.mode.is_in_memory:
            return ""
        kept = self.temporary("i32")
        self.out.append(f"local.tee {kept}")
        return kept

    def written(self, base: str, offset: int, type_: Type) -> None:
        """What follows each write into memory: forced bits get their values again, and the statement at hand is noted
        as the last that wrote.
        """
        mode = self.code.mode
        if mode.forces:
            size = size_of(type_)
            is_word = isinstance(type_, Elementary)
            hold = f"call $hold{size}" if is_word else f"i32.const {size} call $hold"
            self.out.append(f"local.get {base} i32.const {offset} i32.add {hold}")
        if mode.notes_writers:
            self._note_writer(base, offset, type_)
        if mode.trails:
            self.out.append(
                f"local.get {base} i32.const {offset} i32.add i32.const {size_of(type_)} call $tell_written"
            )

    def _note_writer(self, base: str, offset: int, type_: Type) -> None:
        """Note the statement at hand as the last that wrote there; of what is copied whole that it was, by -1."""
        entry = f"local.get {base} i32.const {offset} i32.add i32.const 4 i32.mul global.get $writers i32.add"
        if isinstance(type_, (Elementary, String)):
            site = self.code.site(self.frame.unit, self.statement, "written") if self.statement else "-1"
            self.out.append(f"{entry} i32.const {site} i32.store")
        else:
            self.out.append(f"{entry} i32.const 255 i32.const {4 * size_of(type_)} memory.fill")

    def set_initial(self, variable: typed.Variable) -> None:
        """Give a variable its initial value."""
        place = typed.whole(variable)
        type_ = variable.type
        if isinstance(type_, Elementary):
            initial = variable.initial
            assert isinstance(initial, (bool, int, float))
            self.write(place, lambda: self.expression(typed.Constant(type_, initial)))
            return
        content = initial_of(type_, variable.initial)
        self.push_address(place)
        kept = self._kept()
        if any(content):
            self.out.append(f"i32.const {self.code.known(content, 8)} i32.const {len(content)} memory.copy")
        else:
            self.out.append(f"i32.const 0 i32.const {len(content)} memory.fill")
        self.written(kept, 0, type_)

    def fault_if(self, start: int, kind: str) -> None:
        """Stop the scan when the i32 on the stack is not zero."""
        site = self.code.site(self.frame.unit, start, kind)
        self.out.append(f"if i32.const {site} {self.self_address(self.frame.offset)} call $fault unreachable end")

    def expression(self, node: typed.Expression, clean: bool = True) -> None:
        """Put a value on the stack. Unless ``clean``, a narrow integer may carry stray high bits."""
        raise NotImplementedError


def _moved(operator: str, low: int, high: int, by: int) -> tuple[int, int]:
    """The interval of an integer from ``low`` to ``high`` after an operation with a known number."""
    match operator:
        case "+":
            return low + by, high + by
        case "-":
            return low - by, high - by
        case "*" if by >= 0:
            return low * by, high * by
        case "/" if by > 0 and low >= 0:
            return low // by, high // by
        case "MOD" if by > 0 and low >= 0:
            return 0, by - 1
    return -(1 << 64), 1 << 64


def copy_instructions(type_: Type) -> str:
    """What copies a value that is not elementary: addresses of target (and capacity of a text) and source are given."""
    if isinstance(type_, String):
        return f"i32.const {type_.width} call $text_store"
    return f"i32.const {size_of(type_)} memory.copy"


def elementary(variable: typed.Variable) -> Elementary:
    """The type of a variable that has a single value."""
    assert isinstance(variable.type, Elementary)
    return variable.type
