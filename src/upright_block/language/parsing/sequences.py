"""Steps, transitions and actions in text form. IEC 61131-3:2013, 6.7."""

from __future__ import annotations

from contextlib import suppress

from upright_block.language import syntax
from upright_block.language.parsing.cursor import SyntaxProblem
from upright_block.language.parsing.declarations import DeclarationParser
from upright_block.language.parsing.words import sequences as words

TIMED = ("L", "D", "SD", "DS", "SL")
STARTS = ("INITIAL_STEP", "STEP", "TRANSITION", "ACTION")
_ENDS = ("END_STEP", "END_TRANSITION", "END_ACTION")


class SequenceParser(DeclarationParser):
    """Reads a body that is a sequence."""

    def sequence(self) -> syntax.Sequence:
        """All steps, transitions and actions up to the end of the unit."""
        start = self.starts[self.i]
        steps: list[syntax.Step] = []
        transitions: list[syntax.Transition] = []
        actions: list[syntax.Action] = []
        is_whole = True
        while self.kinds[self.i] in (*STARTS, *_ENDS):
            begun, depth = self.i, self.depth
            try:
                match self.kinds[self.i]:
                    case "END_STEP" | "END_TRANSITION" | "END_ACTION" as stray:
                        self.skip_stray(stray)
                    case "TRANSITION":
                        transitions.append(self._transition())
                    case "ACTION":
                        actions.append(self._action())
                    case _:
                        steps.append(self._step())
            except SyntaxProblem:
                is_whole = False
                self.depth = depth
                self._recover_part(begun)
        return syntax.Sequence(start, self.last_end, tuple(steps), tuple(transitions), tuple(actions), is_whole)

    def _recover_part(self, since: int) -> None:
        while self.kinds[self.i] != "end" and not self.kinds[self.i].startswith(("END_FUNCTION", "END_PROGRAM")):
            if self.kinds[self.i] in _ENDS:
                self.i += 1
                self.accept(";")
                return
            if self.i > since and self.kinds[self.i] in STARTS:
                return
            self.i += 1

    def _named(self, what: str) -> syntax.Name:
        if self.kinds[self.i] != "name":
            raise self.fail(words.missing_name(what, self.shown(self.i)))
        self.i += 1
        return syntax.Name(self.starts[self.i - 1], self.last_end, self.texts[self.i - 1])

    def _step(self) -> syntax.Step:
        """``STEP name: action(N); END_STEP``"""
        opened = self.starts[self.i]
        kind = self.kinds[self.i]
        self.i += 1
        name = self._named("a step")
        with suppress(SyntaxProblem):
            self.expect(":", "after the name of a step")
        comment = self.comment_after(self.last_end)
        associations: list[syntax.Association] = []
        while self.kinds[self.i] == "name":
            associations.append(self._association())
        self._end_of_part(kind, opened)
        return syntax.Step(name.start, name.end, name.name, kind == "INITIAL_STEP", tuple(associations), comment)

    def _association(self) -> syntax.Association:
        """``action(D, T#5s);`` (tables 57, 59)"""
        name = self._named("an action")
        qualifier, time = "N", None
        if self.accept("(") and not self.accept(")"):
            word = self._named("a qualifier")
            qualifier = word.name.upper()
            if qualifier not in words.QUALIFIERS:
                self.report(word.start, word.end, words.unknown_qualifier(word.name))
                qualifier = "N"
            if self.accept(","):
                time = self.expression()
            elif qualifier in TIMED:
                self.report(word.start, word.end, words.missing_time(qualifier, name.name))
            self.expect(")", "after a qualifier")
        self._semicolon()
        return syntax.Association(name.start, name.end, name.name, qualifier, time)

    def _transition(self) -> syntax.Transition:
        """``TRANSITION name (PRIORITY := 1) FROM a TO (b, c) := condition; END_TRANSITION``"""
        opened = self.starts[self.i]
        self.i += 1
        name = self._named("a transition").name if self.kinds[self.i] == "name" else ""
        priority = 0
        if self.accept("("):
            self._named("PRIORITY")
            self.expect(":=", "after PRIORITY")
            number = self.kinds[self.i]
            if number != "int":
                raise self.fail(words.bad_priority())
            priority = int(self.texts[self.i].replace("_", ""))
            self.i += 1
            self.expect(")", "after the priority")
        self.expect("FROM", "in a transition")
        if self._is_priority():
            raise self.fail(words.late_priority(name, "a", "b"))
        sources = self._steps_named()
        self.expect("TO", "after the steps that a transition leaves")
        targets = self._steps_named()
        head, begun, depth = self.last_end, self.i, self.depth
        try:
            if self._is_priority():
                steps = (", ".join(step.name for step in names) for names in (sources, targets))
                shown = (f"({text})" if "," in text else text for text in steps)
                raise self.fail(words.late_priority(name, *shown))
            self.accept(":")
            is_ladder = self.kinds[self.i] == "rung"
            if is_ladder:
                condition = self.rung_condition(name) or syntax.Literal(head, head, "broken", "")
            else:
                self.expect(":=", "before the condition of a transition")
                condition = self.expression()
                self._semicolon()
        except SyntaxProblem:
            self.depth, is_ladder = depth, False
            condition = syntax.Literal(self.starts[begun], self.end_of(begun), "broken", "")
            while self.kinds[self.i] not in (*STARTS, "end") and not self.kinds[self.i].startswith("END_"):
                self.i += 1
        written = syntax.Span(head, self.starts[self.i], is_ladder)
        self._end_of_part("TRANSITION", opened)
        return syntax.Transition(opened, head, name, priority, sources, targets, condition, written)

    def _is_priority(self) -> bool:
        return self.kinds[self.i] == "(" and self.texts[self.i + 1].upper() == "PRIORITY"

    def _steps_named(self) -> tuple[syntax.Name, ...]:
        if not self.accept("("):
            return (self._named("a step"),)
        found = [self._named("a step")]
        while self.accept(","):
            found.append(self._named("a step"))
        self.expect(")", "after the steps")
        return tuple(found)

    def _action(self) -> syntax.Action:
        """``ACTION name: statements END_ACTION``"""
        opened = self.starts[self.i]
        self.i += 1
        name = self._named("an action")
        with suppress(SyntaxProblem):
            self.expect(":", "after the name of an action")
        self.opened.append(("ACTION", opened))
        body, written = self.body("END_ACTION")
        self.opened.pop()
        self._end_of_part("ACTION", opened)
        return syntax.Action(name.start, name.end, name.name, body, written)

    def _end_of_part(self, opener: str, opened: int) -> None:
        if not self.accept(f"END_{opener.removeprefix('INITIAL_')}"):
            self.missing_end(opener, opened)
            if self.kinds[self.i] not in (*STARTS, "end") and not self.kinds[self.i].startswith("END_"):
                raise SyntaxProblem
            return
        self.accept(";")
