"""The statements that a rung means, in the order in which it is evaluated (8.2.5)."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from heapq import heappop, heappush
from itertools import pairwise

from upright_block.language import syntax
from upright_block.language.lexer import KEYWORDS
from upright_block.language.limits import MOST_CONTACTS
from upright_block.language.nodes import fresh, node, record, state
from upright_block.language.parsing.ladder.elements import STATEMENTS, Element, Flaws, Pin, Word
from upright_block.language.parsing.ladder.network import RAIL, BoxPin, Feed, Joint, Network
from upright_block.language.parsing.words import ladder as words


@record
class Read:
    """Reads texts that stand at places in the source: one that is an expression, None, with findings, where it is
    none; and statements, in lines.
    """

    expression: Callable[[str, int], syntax.Expression | None]
    statements: Callable[[Sequence[tuple[str, int]]], Sequence[syntax.Statement]]


_OPERANDS = (syntax.Name, syntax.Member, syntax.Index, syntax.Part, syntax.DirectAddress, syntax.Dereference)
_NOT = "NOT"
_PLAIN = re.compile(r"[A-Za-z_]\w*", re.ASCII)

Node = Element | Joint


@state
class Hidden:
    """Variables that nobody wrote, of a ``unit``: those that keep their values, and the others."""

    unit: str = ""
    temporary: list[syntax.Declaration] = fresh(default_factory=list)
    kept: list[syntax.Declaration] = fresh(default_factory=list)

    def keep(self, what: str, place: syntax.Node) -> str:
        """Declare a BOOL that keeps its value; its name."""
        return self._declare(self.kept, what, place, None)

    def once(self, what: str, place: syntax.Node, type_: syntax.TypeSpec | None = None) -> str:
        """Declare a variable, by default a BOOL, that is of use in one evaluation alone; its name."""
        return self._declare(self.temporary, what, place, type_)

    def _declare(
        self, among: list[syntax.Declaration], what: str, place: syntax.Node, type_: syntax.TypeSpec | None
    ) -> str:
        name = f":{what}{len(self.temporary) + len(self.kept) + 1}:{self.unit}"
        type_ = type_ or syntax.TypeName(place.start, place.end, "BOOL")
        among.append(syntax.Declaration(place.start, place.end, name, type_, None, "", ""))
        return name

    def sections(self) -> tuple[syntax.VariableSection, ...]:
        """The sections that declare them."""
        found = (("VAR_TEMP", self.temporary), ("VAR", self.kept))
        return tuple(syntax.VariableSection(d[0].start, d[0].end, kind, (), tuple(d)) for kind, d in found if d)


@node
class Jump:
    """A jump: the variable that says whether it was made, and the label that it leads to."""

    name: str
    label: str
    place: syntax.Node


class Meaning:
    """Gives the statements of one rung."""

    def __init__(
        self, network: Network, flaws: Flaws, read: Read, hidden: Hidden, *, is_condition: bool = False
    ) -> None:
        self.network = network
        self.flaws = flaws
        self.is_condition = is_condition
        self.grid = network.grid
        self.read = read
        self.hidden = hidden
        self.statements: list[syntax.Statement] = []
        self.jumps: list[Jump] = []
        self.order = self._order()
        self.values: dict[int, syntax.Expression] = {}
        self.sizes: dict[int, int] = {}
        self.results: dict[Element, syntax.Expression] = {}
        self.linked: dict[tuple[Element, str], str] = {}
        self.stored = set[int]() if is_condition else self._stored()
        self._instances()
        self._last()
        for each in self.order if not flaws.found else ():
            self._evaluate(each)

    # --- the order ---

    def _sources(self, each: Node) -> list[Node]:
        """What has to be evaluated before."""
        if isinstance(each, Joint):
            feeds: list[Feed] = list(each.feeds)
        elif each.kind == "box":
            feeds = [feed for _, feed in self.network.inputs[each]]
        else:
            feeds = [self.network.feeds[each]]
        found = (feed.box if isinstance(feed, BoxPin) else feed for feed in feeds)
        return [feed for feed in found if isinstance(feed, (Element, Joint))]

    def _order(self) -> list[Node]:
        """All elements and joints: of what is ready the upper one first, then the left one."""
        every: list[Node] = [*self.network.elements.found, *dict.fromkeys(self.network.joints.values())]
        waits = {id(each): len(self._sources(each)) for each in every}
        leads: dict[int, list[Node]] = {}
        for each in every:
            for source in self._sources(each):
                leads.setdefault(id(source), []).append(each)
        ready: list[tuple[int, int, int, Node]] = []

        def push(one: Node) -> None:
            column = one.column if isinstance(one, Joint) else one.left
            heappush(ready, (one.row, column, id(one), one))

        for each in every:
            if not waits[id(each)]:
                push(each)
        found: list[Node] = []
        while ready:
            each = heappop(ready)[3]
            found.append(each)
            for other in leads.get(id(each), ()):
                waits[id(other)] -= 1
                if not waits[id(other)]:
                    push(other)
        return found

    def _acts(self, each: Node) -> bool:
        """Whether it changes something besides links."""
        return isinstance(each, Element) and (each.kind in ("coil", "box", "jump", "return"))

    def _stored(self) -> set[int]:
        """The elements and joints whose value is kept in a variable, since it is needed twice, or behind something that
        acts.
        """
        place = {id(each): number for number, each in enumerate(self.order)}
        users: dict[int, list[int]] = {}
        for each in self.order:
            for source in self._sources(each):
                while isinstance(source, Element) and source.kind == "coil":  # it only hands its link on
                    feed = self.network.feeds[source]
                    if not isinstance(feed, (Element, Joint)):
                        break
                    source = feed
                users.setdefault(id(source), []).append(id(each))
        acting = [number for number, each in enumerate(self.order) if self._acts(each)]
        used_at: dict[int, int] = {}
        stored: set[int] = set()
        for each in reversed(self.order):
            number, uses = place[id(each)], users.get(id(each), [])
            if self._acts(each):
                used_at[id(each)] = number
                continue
            ends = [used_at[use] for use in uses]
            is_edge = isinstance(each, Element) and each.sign in "PN" and each.kind == "contact"
            is_kept = is_edge or len(uses) > 1 or any(number < act < end for act in acting for end in ends)
            if is_kept and uses:
                stored.add(id(each))
            if not uses and isinstance(each, Element) and not self.is_condition:
                self.flaws.add(words.unread(), each.row, each.left, each.right)
            used_at[id(each)] = number if is_kept or not ends else ends[0]
        return stored

    # --- values ---

    def _place(self, each: Node) -> syntax.Node:
        if isinstance(each, Joint):
            start = self.grid.place(each.row, each.column)
            return syntax.Node(start, start + 1)
        return syntax.Node(self.grid.place(each.row, each.left), self.grid.place(each.row, each.right) + 1)

    def _made(self, name: str, place: syntax.Node) -> syntax.Expression:
        return syntax.MadeName(place.start, place.end, name)

    def _operand(self, word: Word, *, is_value: bool) -> syntax.Expression:
        """The variable of a word, or where that may be the literal."""
        start = self.grid.place(word.row, word.left)
        if _PLAIN.fullmatch(word.text) and word.text.upper() not in KEYWORDS:
            return syntax.Name(start, start + len(word.text), word.text)
        found = self.read.expression(word.text, start)
        if found is not None and not isinstance(found, (*_OPERANDS, syntax.Literal)):
            is_signed = isinstance(found, syntax.Unary) and isinstance(found.operand, syntax.Literal)
            if not (is_signed and is_value):
                self.flaws.add(words.no_expression(word.text), word.row, word.left, word.right)
        return found or syntax.Literal(start, start + len(word.text), "broken", word.text)

    def _value(self, feed: Feed) -> syntax.Expression:
        """What a link carries."""
        if isinstance(feed, str):
            place = self.grid.place(0, 0)
            return syntax.Literal(place, place + 1, "bool", "TRUE")
        if isinstance(feed, Word):
            return self._operand(feed, is_value=True)
        if isinstance(feed, BoxPin):
            return self._of_pin(feed)
        value = self.values[id(feed)]
        return self._made(value.name, self._place(feed)) if isinstance(value, syntax.MadeName) else value

    def condition(self) -> syntax.Expression | None:
        """What reaches the right rail; None where nothing does."""
        rail = self.network.elements.right_rail
        rows = range(self.grid.rows)
        feeds = [feed for row in rows if (feed := self.network.reaches(row, rail)) is not None and feed != RAIL]
        found: syntax.Expression | None = None
        for feed in dict.fromkeys(feeds):
            value, place = self._value(feed), self.grid.place(0, rail)
            found = value if found is None else syntax.Binary(found.start, place, "OR", found, value, place)
        return found

    def _of_pin(self, feed: BoxPin) -> syntax.Expression:
        box, pin = feed.box, feed.pin
        place = syntax.Node(self.grid.place(pin.row, box.right), self.grid.place(pin.row, box.right) + 1)
        known = self.linked.get((box, pin.name.upper()))
        value: syntax.Expression
        if known is not None:
            value = self._made(known, place)
        elif box in self.results:
            held = self.results[box]
            value = self._made(held.name, place) if isinstance(held, syntax.MadeName) else held
        elif box.operand is None:
            self.flaws.add(words.no_operand("box"), box.top, box.left, box.right)
            value = syntax.Literal(place.start, place.end, "broken", "")
        else:
            base = self._operand(box.operand, is_value=False)
            value = syntax.Member(place.start, place.end, base, pin.name, place.start)
        return syntax.Unary(place.start, place.end, "NOT", value) if pin.is_negated else value

    def _computed(self, each: Node) -> syntax.Expression:
        place = self._place(each)
        if isinstance(each, Joint):
            values = [self._value(feed) for feed in each.feeds]
            found = values[0]
            for value in values[1:]:
                found = syntax.Binary(place.start, place.end, "OR", found, value, place.start)
            return found
        feed = self.network.feeds[each]
        before = self._value(feed)
        if each.kind not in ("contact", "compare"):
            return before
        own = self._own_value(each)
        if feed == RAIL:
            return own
        return syntax.Binary(place.start, place.end, "AND", before, own, place.start)

    def _own_value(self, each: Element) -> syntax.Expression:
        """Whether a contact conducts by itself."""
        place = self._place(each)
        assert each.operand is not None
        value = self._operand(each.operand, is_value=True)
        if each.kind == "compare":
            assert each.other is not None
            other = self._operand(each.other, is_value=True)
            parts = (place.start, place.end, each.sign, value, other, place.start + 1)
            if each.type is None:
                return syntax.Binary(*parts)
            start = self.grid.place(each.type.row, each.type.left)
            named = syntax.TypeName(start, start + len(each.type.text), each.type.text)
            return syntax.TypedCompare(*parts, named)
        if each.sign == "/":
            return syntax.Unary(place.start, place.end, "NOT", value)
        if each.sign in "PN":
            return self._edge(each.sign, value, place)
        return value

    def _edge(self, sign: str, value: syntax.Expression, place: syntax.Node) -> syntax.Expression:
        """Whether a value has changed since it was looked at last; the variable with its last value begins FALSE."""
        last, now = self.hidden.keep("edge", place), self.hidden.once("edge", place)
        changed: syntax.Expression = syntax.Unary(place.start, place.end, "NOT", self._made(last, place))
        own = value
        if sign == "N":
            changed = self._made(last, place)
            own = syntax.Unary(place.start, place.end, "NOT", value)
        both = syntax.Binary(place.start, place.end, "AND", own, changed, place.start)
        self._assign(now, both, place)
        self._assign(last, value, place)
        return self._made(now, place)

    # --- statements ---

    def _assign(self, name: str, value: syntax.Expression, place: syntax.Node) -> None:
        self.statements.append(syntax.Assignment(place.start, place.end, self._made(name, place), value))

    def _evaluate(self, each: Node) -> None:
        if isinstance(each, Joint) or each.kind in ("contact", "compare"):
            value = self._computed(each)
            if id(each) in self.stored and not isinstance(value, syntax.MadeName):
                place = self._place(each)
                name = self.hidden.once("link", place)
                self._assign(name, value, place)
                value = self._made(name, place)
            self.values[id(each)] = value
            self._measure(each)
            return
        if each.kind == "box":
            self._box(each)
            return
        place, value = self._place(each), self._value(self.network.feeds[each])
        self.values[id(each)] = value  # a coil hands its link on
        if each.kind == "coil":
            self._coil(each, value, place)
        elif each.kind == "return":
            leave = syntax.Return(place.start, place.end)
            self.statements.append(syntax.If(place.start, place.end, (self._branch(value, (leave,)),), None))
        else:
            name = self.hidden.once("jump", place)
            self._assign(name, value, place)
            self.jumps.append(Jump(name, each.sign, place))

    def _measure(self, each: Node) -> None:
        """Report a condition that is too long: in that of a transition a link that is used twice is written twice."""
        if self.is_condition:
            size = 1 + sum(self.sizes.get(id(source), 1) for source in self._sources(each))
            self.sizes[id(each)] = size
            if size > MOST_CONTACTS:
                row, column = (each.row, each.column) if isinstance(each, Joint) else (each.row, each.left)
                self.flaws.add(words.long_condition(MOST_CONTACTS), row, column)

    @staticmethod
    def _branch(condition: syntax.Expression, body: Sequence[syntax.Statement]) -> syntax.Branch:
        return syntax.Branch(condition.start, condition.end, condition, tuple(body))

    def _coil(self, each: Element, value: syntax.Expression, place: syntax.Node) -> None:
        assert each.operand is not None
        target = self._operand(each.operand, is_value=False)
        if each.sign in "SR":
            text = "TRUE" if each.sign == "S" else "FALSE"
            written = syntax.Literal(place.start, place.end, "bool", text)
            store = syntax.Assignment(place.start, place.end, target, written)
            self.statements.append(syntax.If(place.start, place.end, (self._branch(value, (store,)),), None))
            return
        if each.sign in "PN":
            value = self._edge(each.sign, value, place)
        elif each.sign == "/":
            value = syntax.Unary(place.start, place.end, "NOT", value)
        self.statements.append(syntax.Assignment(place.start, place.end, target, value))

    def _last(self) -> None:
        """Report what would act behind a jump, or a return."""
        acting = [each for each in self.order if isinstance(each, Element) and self._acts(each)]
        for before, behind in pairwise(acting):
            if before.kind in ("jump", "return"):
                self.flaws.add(words.behind_jump(before.kind), behind.row, behind.left, behind.right)

    # --- boxes ---

    def _instances(self) -> None:
        seen: set[str] = set()
        for each in self.network.elements.found:
            if each.kind == "box" and each.operand is not None:
                if each.operand.text.upper() in seen:
                    word = each.operand
                    self.flaws.add(words.instance_twice(word.text), word.row, word.left, word.right)
                seen.add(each.operand.text.upper())

    def _of_statements(self, box: Element) -> None:
        """A box ``ST``: its statements run where a link that reaches it conducts; it hands the link on."""
        inside = self.read.statements([(line.text, self.grid.place(line.row, line.left)) for line in box.lines])
        feeds = [feed for _, feed in self.network.inputs[box]]
        if not feeds:
            self.flaws.add(words.no_link("box"), box.top + 1, box.left + 1, box.right - 1)
            return
        if len(feeds) > 1 or any(isinstance(feed, Word) for feed in feeds) or self.network.outputs[box]:
            self.flaws.add(words.pins_of_statements(), box.top + 1, box.left + 1, box.right - 1)
            return
        if feeds[0] == RAIL:
            self.results[box] = self._value(RAIL)
            self.statements += inside
            return
        place = self._place(box)
        name = self.hidden.once("link", place)
        self._assign(name, self._value(feeds[0]), place)
        self.results[box] = self._made(name, place)
        self.statements.append(syntax.If(place.start, place.end, (self._branch(self.results[box], inside),), None))

    def _box(self, box: Element) -> None:
        if box.sign == STATEMENTS:
            self._of_statements(box)
            return
        place = syntax.Node(self.grid.place(box.top + 1, box.left + 1), self.grid.place(box.top + 1, box.right))
        arguments: list[syntax.Argument] = []
        for pin, feed in self.network.inputs[box]:
            value = self._value(feed)
            if pin.is_negated:
                value = syntax.Unary(value.start, value.end, "NOT", value)
            arguments.append(syntax.Argument(value.start, value.end, pin.name, value, output=False, negated=False))
        is_function = box.operand is None
        for label in box.labels if is_function else ():
            if label.text.upper() not in ("EN", "ENO", "OUT", box.sign.upper()):
                self.flaws.add(words.label_of_function(label.text, box.sign), label.row, label.left, label.right)
        result: Word | None = None
        for pin, word in self.network.outputs[box]:
            if is_function and _is_result(pin, box):
                result = word
                continue
            if any(p.name == pin.name and _is_same(feed, word) for p, feed in self.network.inputs[box]):
                continue  # an in-out, which is written at both sides
            target = self._operand(word, is_value=False)
            arguments.append(
                syntax.Argument(target.start, target.end, pin.name, target, output=True, negated=pin.is_negated)
            )
        for pin in box.pins:
            is_result = is_function and _is_result(pin, box)
            is_link = is_function or pin.name.upper() == "ENO"
            if not pin.is_input and is_link and not is_result and self._is_read(box, pin):
                name = self.hidden.once("pin", place)
                self.linked[box, pin.name.upper()] = name
                made = self._made(name, place)
                arguments.append(syntax.Argument(place.start, place.end, pin.name, made, output=True, negated=False))
        if is_function:
            self._function(box, arguments, result, place)
            return
        assert box.operand is not None
        callee = self._operand(box.operand, is_value=False)
        inner = self.grid.text(box.top + 1, box.left + 1, box.right - 1)
        start = self.grid.place(box.top + 1, box.left + 1 + inner.index(box.sign))
        named = syntax.Name(start, start + len(box.sign), box.sign)
        call = syntax.BoxCall(callee.start, callee.end, callee, tuple(arguments), named, self._labels(box))
        self.statements.append(syntax.CallStatement(place.start, place.end, call))

    def _labels(self, box: Element) -> tuple[syntax.Name, ...]:
        starts = [(self.grid.place(label.row, label.left), label.text) for label in box.labels]
        return tuple(syntax.Name(start, start + len(text), text) for start, text in starts)

    def _is_read(self, box: Element, pin: Pin) -> bool:
        """Whether a link begins at a pin."""
        feeds = [*self.network.feeds.values(), *(feed for found in self.network.inputs.values() for _, feed in found)]
        feeds += [feed for joint in self.network.joints.values() for feed in joint.feeds]
        return any(isinstance(feed, BoxPin) and feed.box is box and feed.pin is pin for feed in feeds)

    def _function(
        self, box: Element, arguments: list[syntax.Argument], result: Word | None, place: syntax.Node
    ) -> None:
        value: syntax.Expression
        name, given = box.sign, [argument for argument in arguments if argument.name.upper() not in ("EN", "ENO")]
        is_not = name.upper() == _NOT and [argument.name.upper() for argument in given] in ([""], ["IN"])
        if is_not:
            negated = syntax.Unary(place.start, place.end, "NOT", given[0].value)
            taken = syntax.Argument(place.start, place.end, "IN", negated, output=False, negated=False)
            name, arguments = "MOVE", [taken if each is given[0] else each for each in arguments]
        if is_not and len(arguments) == 1:
            value = arguments[0].value
        else:
            value = syntax.Call(place.start, place.end, syntax.Name(place.start, place.end, name), tuple(arguments))
        is_linked = any(not p.is_input and _is_result(p, box) and self._is_read(box, p) for p in box.pins)
        if is_linked or result is None:
            name = self.hidden.once("out", place, syntax.ResultOf(place.start, place.end, value))
            self.results[box] = self._made(name, place)
            self._assign(name, value, place)
            value = self.results[box]
        if result is not None:
            target = self._operand(result, is_value=False)
            self.statements.append(syntax.Assignment(place.start, place.end, target, value))


def _is_result(pin: Pin, box: Element) -> bool:
    """Whether a pin is the result of a function."""
    return pin.name.upper() in ("", "OUT", box.sign.upper())


def _is_same(feed: Feed, word: Word) -> bool:
    """Whether an input takes the variable of a word."""
    return isinstance(feed, Word) and feed.text.upper() == word.text.upper()
