"""Variable sections, declarations, types and initial values. IEC 61131-3:2013, 6.4 and 6.5."""

from __future__ import annotations

from bisect import bisect_left

from upright_block.language import syntax
from upright_block.language.lexer import KEYWORDS, Comment
from upright_block.language.parsing.cursor import SyntaxProblem
from upright_block.language.parsing.expressions import PRECEDENCE
from upright_block.language.parsing.ladders import LadderParser
from upright_block.language.parsing.statements import CLOSES, SECTIONS, STATEMENT_STARTS, UNIT_STARTS
from upright_block.language.parsing.words import declarations as words

_QUALIFIERS = ("CONSTANT", "RETAIN", "NON_RETAIN", "PUBLIC", "PRIVATE", "PROTECTED", "INTERNAL")
_STRINGS = ("STRING", "WSTRING")
_BEFORE_VALUES = PRECEDENCE.keys() | {":=", "(", "[", ",", "IF", "ELSIF", "WHILE", "UNTIL", "CASE", "NOT"}
_BEFORE_BODIES = {"THEN", "DO", "OF", "TO", "BY"}
_AFTER_NAMES = PRECEDENCE.keys() | _BEFORE_BODIES | {":=", "=>", ",", ")", "]", "[", ".", "^", ".."}
_AFTER_OTHER_NAMES = _AFTER_NAMES | {";", ":", "("}
_OF_STATEMENTS = STATEMENT_STARTS | PRECEDENCE.keys() | _BEFORE_BODIES | {"ELSE", "ELSIF", "UNTIL"}
_UNIT_ENDS = frozenset([CLOSES[unit] for unit in UNIT_STARTS if unit in CLOSES] + ["end"])


class DeclarationParser(LadderParser):
    """Reads what stands before a body."""

    home: syntax.Home = syntax.NOWHERE

    def section(self) -> syntax.VariableSection:
        start, keyword = self.starts[self.i], self.kinds[self.i]
        if keyword in words.LATER_SECTIONS:
            self.fail(words.later_section(keyword))
            while self.kinds[self.i] not in ("END_VAR", "end", *UNIT_STARTS):
                self.i += 1
            self.accept("END_VAR")
            return syntax.VariableSection(start, self.last_end, keyword, (), ())
        self.i += 1
        qualifiers: list[str] = []
        while self.kinds[self.i] in _QUALIFIERS:
            qualifiers.append(self.kinds[self.i])
            self.i += 1
        declarations: list[syntax.Declaration] = []
        while self.kinds[self.i] != "END_VAR":
            ended = self.kinds[self.i] in ("end", *UNIT_STARTS, *SECTIONS) or self._body_begins()
            if ended and not self.keyword_as_name("AT"):
                self.missing_end(keyword, start)
                return syntax.VariableSection(start, self.last_end, keyword, tuple(qualifiers), tuple(declarations))
            begun = self.i
            try:
                declarations.extend(self.declaration())
            except SyntaxProblem:
                self._recover_declaration(begun)
        self.i += 1
        self.accept(";")
        return syntax.VariableSection(start, self.last_end, keyword, tuple(qualifiers), tuple(declarations))

    def _body_begins(self) -> bool:
        """Whether what is next belongs to the body, since an END_VAR was left out."""
        kind = self.kinds[self.i]
        of_body = kind in ("IF", "CASE", "FOR", "WHILE", "REPEAT", "RETURN") or kind.startswith("END_")
        if not of_body and (kind != "name" or self.kinds[self.i + 1] not in (":=", "(", ".", "[", "^")):
            return False
        ahead = self.i
        while self.kinds[ahead] not in ("END_VAR", "END_FUNCTION", "END_FUNCTION_BLOCK", "end", *SECTIONS):
            ahead += 1
        return self.kinds[ahead] != "END_VAR"

    def _recover_declaration(self, since: int) -> None:
        while self.kinds[self.i] not in ("END_VAR", "end", *UNIT_STARTS, *SECTIONS):
            if self.kinds[self.i] == ";":
                self.i += 1
                return
            if (
                self.i > since
                and self.on_new_line(self.i)
                and self.kinds[self.i] == "name"
                and self.kinds[self.i + 1] in (":", ",")
            ):
                return
            if self.i > since and self._body_begins() and self.on_new_line(self.i):
                return
            self.i += 1

    def declaration(self) -> list[syntax.Declaration]:
        """``a, b : TYPE := value;`` as one declaration a name."""
        names: list[int] = []
        while True:
            if self.kinds[self.i] != "name" and not self.keyword_as_name("AT"):
                raise self.fail(words.missing_name(self.shown(self.i)))
            names.append(self.i)
            self.i += 1
            if self.accept(","):
                continue
            is_name = self.kinds[self.i] == "name" and self.kinds[self.i + 1] in (":", ",")
            if not is_name or self.on_new_line(self.i):
                break
            self.fail(words.missing_comma(self.shown(self.i)))
        spec: syntax.TypeSpec = syntax.TypeName(self.last_end, self.last_end, "")
        initial: syntax.Expression | None = None
        address = comment = edge = ""
        begun, depth = self.i, self.depth
        try:
            address = self._address()
            if self.kinds[self.i] == ":=":
                self._missing_type(self.texts[names[0]])
            else:
                spec = self._declared_type()
            if self.kinds[self.i] == "name" and self.texts[self.i].upper() in ("R_EDGE", "F_EDGE"):
                edge = self.texts[self.i].upper()
                self.i += 1
            if self._initial_follows():
                initial = self.initial_value()
            comment = self.comment_after(self._end_of_declaration())
        except SyntaxProblem:
            # the names are declared all the same, so that each use of them is not a finding
            self.depth = depth
            self._recover_declaration(begun)
        return [
            syntax.Declaration(self.starts[n], self.end_of(n), self.texts[n], spec, initial, comment, address, edge)
            for n in names
        ]

    def _initial_follows(self) -> bool:
        """Step over the sign before an initial value; one that is left out is reported."""
        if self.assigns("Give an initial value with :=."):
            return True
        is_value = self.kinds[self.i] in ("int", "real", "typed", "string", "TRUE", "FALSE")
        if not is_value or self.on_new_line(self.i):
            return False
        self.fail(words.missing_sign(self.shown(self.i)))
        return True

    def keyword_as_name(self, *followers: str) -> bool:
        """Whether a keyword is next where it can only be meant as a name.

        It is reported, and taken for a name as far as it is known, so that each use of it is not a finding.
        """
        keyword = self.kinds[self.i]
        if keyword not in KEYWORDS - {"NOT"} or self.kinds[self.i + 1] not in (":", ",", ":=", *followers):
            return False
        word = self.texts[self.i]
        self.fail(words.keyword_as_name(word))
        signs = _AFTER_NAMES - {"+", "-"} if keyword in _OF_STATEMENTS else _AFTER_OTHER_NAMES
        self.kinds[self.i] = "name"
        token = self.i
        ends = _UNIT_ENDS if self.opened else {"end"}
        while self.kinds[token] not in ends:
            if self.kinds[token] == keyword and (
                self.kinds[token + 1] in signs or self.kinds[token - 1] in _BEFORE_VALUES - {keyword}
            ):
                self.kinds[token] = "name"
            token += 1
        return True

    def _address(self) -> str:
        """``AT %IX0.3`` where it is written."""
        if not self.accept("AT"):
            return ""
        if not self.accept("address"):
            raise self.fail(words.missing_address(self.shown(self.i)))
        return self.texts[self.i - 1]

    def _missing_type(self, name: str) -> None:
        self.fail(words.value_for_type(name))

    def _end_of_declaration(self) -> int:
        """Step over the semicolon of a declaration; the offset before it."""
        end = self.last_end
        if not self.accept(";"):
            if self.on_new_line(self.i) or self.kinds[self.i] in ("END_VAR", "end"):
                self.report(self.starts[self.i - 1], end, words.missing_semicolon(self.texts[self.i - 1]))
            else:
                raise self.fail(words.goes_on(self.shown(self.i)))
        return end

    def _declared_type(self) -> syntax.TypeSpec:
        """The colon and the type of a declaration."""
        if not self.accept(":"):
            problem = self.fail(words.missing_colon(self.texts[self.i - 1], self.shown(self.i)))
            if self.kinds[self.i] not in ("name", "ARRAY", "STRUCT", "REF_TO", "("):
                raise problem
        return self.type_spec()

    # --- types ---

    def type_spec(self) -> syntax.TypeSpec:
        """A type: its name, or ARRAY, STRUCT, REF_TO, STRING[n], a subrange or an enumeration."""
        kind, start = self.kinds[self.i], self.starts[self.i]
        if kind == "ARRAY":
            return self._array_spec()
        if kind == "STRUCT":
            return self._structure_spec()
        if kind == "REF_TO":
            self.i += 1
            self.deeper()
            target = self.type_spec()
            self.depth -= 1
            return syntax.ReferenceSpec(start, target.end, target)
        if kind == "(":
            return self._enumeration_spec(None)
        name = self.type_name()
        if name.name.upper() in _STRINGS and self.kinds[self.i] in ("[", "("):
            closing = "]" if self.kinds[self.i] == "[" else ")"
            self.i += 1
            length = self.expression()
            self.expect(closing, "after the length")
            return syntax.StringSpec(start, self.last_end, name.name, length)
        if self.kinds[self.i] == "(":
            return self._range_or_enumeration(name)
        return name

    def type_name(self) -> syntax.TypeName:
        """The name of a type."""
        if self.kinds[self.i] != "name":
            raise self.fail(words.missing_type(self.shown(self.i)))
        start, parts = self.starts[self.i], [self.texts[self.i]]
        self.i += 1
        while self.kinds[self.i] == "." and self.kinds[self.i + 1] == "name":
            parts.append(self.texts[self.i + 1])
            self.i += 2
        return syntax.TypeName(start, self.last_end, ".".join(parts))

    def _array_spec(self) -> syntax.TypeSpec:
        """``ARRAY [0..9, 1..3] OF INT``, ``ARRAY [*] OF INT``"""
        start = self.starts[self.i]
        self.i += 1
        self.expect("[", "after ARRAY")
        bounds: list[tuple[syntax.Expression, syntax.Expression]] = []
        stars = 0
        while True:
            if self.accept("*"):
                stars += 1
                if self.accept(","):
                    continue
                break
            low = self.expression()
            if self.kinds[self.i] != "..":
                shown = self.source.text[low.start : low.end]
                raise self.fail(words.one_bound(shown), self.i - 1)
            self.i += 1
            bounds.append((low, self.expression()))
            if not self.accept(","):
                break
        self.expect("]", "after the bounds")
        if stars and bounds:
            self.report(start, self.last_end, words.some_bounds_open())
        self.expect("OF", "after the bounds of ARRAY")
        self.deeper()
        element = self.type_spec()
        self.depth -= 1
        if stars:
            return syntax.ArraySpec(start, element.end, (), element, stars + len(bounds))
        return syntax.ArraySpec(start, element.end, tuple(bounds), element)

    def _structure_spec(self) -> syntax.TypeSpec:
        start = self.starts[self.i]
        self.i += 1
        if self.accept("OVERLAP"):
            self.fail(words.overlap(), self.i - 1)
        self.deeper()
        fields: list[syntax.Declaration] = []
        while self.kinds[self.i] != "END_STRUCT":
            if self.kinds[self.i] in ("end", "END_TYPE", "END_VAR", *UNIT_STARTS, *SECTIONS):
                self.missing_end("STRUCT", start)
                break
            begun, depth = self.i, self.depth
            try:
                fields.extend(self.declaration())
            except SyntaxProblem:
                self.depth = depth
                self._recover_declaration(begun)
        self.depth -= 1
        self.accept("END_STRUCT")
        return syntax.StructureSpec(start, self.last_end, tuple(fields))

    def _range_or_enumeration(self, base: syntax.TypeName) -> syntax.TypeSpec:
        """What stands in parentheses after a type: ``INT (0..9)`` or ``INT (low := 1, high := 2)``."""
        if self.kinds[self.i + 1] == "name" and self.kinds[self.i + 2] in (",", ":=", ")"):
            return self._enumeration_spec(base)
        self.i += 1
        low = self.expression()
        self.expect("..", "between the ends of a range")
        high = self.expression()
        self.expect(")", "after a range")
        return syntax.SubrangeSpec(base.start, self.last_end, base, low, high)

    def _enumeration_spec(self, base: syntax.TypeName | None) -> syntax.TypeSpec:
        """``(red, amber, green)``, with values ``(red := 1, green := 5)``"""
        start = self.starts[self.i] if base is None else base.start
        self.i += 1
        members: list[syntax.EnumerationMember] = []
        while True:
            begun = self.i
            if not self.accept("name"):
                raise self.fail(words.missing_value_name(self.shown(self.i)))
            value = self.expression() if self.accept(":=") else None
            members.append(syntax.EnumerationMember(self.starts[begun], self.end_of(begun), self.texts[begun], value))
            if not self.accept(","):
                break
        self.expect(")", "after the values")
        return syntax.EnumerationSpec(start, self.last_end, base, tuple(members))

    def type_section(self) -> list[syntax.TypeDeclaration]:
        """``TYPE name : type := value; ... END_TYPE``"""
        start = self.starts[self.i]
        self.i += 1
        found: list[syntax.TypeDeclaration] = []
        while not self.accept("END_TYPE"):
            if self.kinds[self.i] in ("end", *UNIT_STARTS, *SECTIONS):
                self.missing_end("TYPE", start)
                break
            begun, depth = self.i, self.depth
            try:
                found.append(self._type_declaration())
            except SyntaxProblem:
                self.depth = depth
                self._recover_type(begun)
        self.accept(";")
        return found

    def _type_declaration(self) -> syntax.TypeDeclaration:
        begun = self.i
        if not self.accept("name"):
            raise self.fail(words.missing_type_name(self.shown(self.i)))
        before = self.comment_before(self.starts[begun])
        spec = self._declared_type()
        initial = self.initial_value() if self.accept(":=") else None
        is_structure = isinstance(spec, syntax.StructureSpec)
        end = self.last_end
        if not (self.accept(";") or is_structure):
            end = self._end_of_declaration()
        comment = before or self.comment_after(end)
        return syntax.TypeDeclaration(
            self.starts[begun], self.end_of(begun), self.texts[begun], spec, initial, comment, self.home
        )

    def _recover_type(self, since: int) -> None:
        while self.kinds[self.i] not in ("END_TYPE", "end", *UNIT_STARTS, *SECTIONS):
            if self.kinds[self.i] == ";" and self.kinds[self.i + 1] in ("name", "END_TYPE"):
                self.i += 1
                return
            self.i += 1

    # --- initial values ---

    def initial_value(self) -> syntax.Expression:
        """An expression, ``[...]`` for an array or ``(name := ...)`` for a structure or an instance."""
        kind = self.kinds[self.i]
        if kind == "[":
            return self._array_value()
        names_field = self.kinds[self.i + 1] == "name" or self.kinds[self.i + 1] in KEYWORDS
        if kind == "(" and names_field and self.kinds[self.i + 2] == ":=":
            return self._structure_value()
        return self.expression()

    def _array_value(self) -> syntax.Expression:
        start = self.starts[self.i]
        self.i += 1
        self.deeper()
        items: list[syntax.ArrayItem] = []
        while True:
            items.append(self._array_item())
            if not self.accept(","):
                break
        self.depth -= 1
        self.expect("]", "after the initial values of an array")
        return syntax.ArrayValue(start, self.last_end, tuple(items))

    def _array_item(self) -> syntax.ArrayItem:
        """One value, or ``count(value, value)`` for those values again and again."""
        start = self.starts[self.i]
        if self.kinds[self.i] == "int" and self.kinds[self.i + 1] == "(":
            repeat = syntax.Literal(start, self.end_of(self.i), "int", self.texts[self.i])
            self.i += 2
            values: list[syntax.Expression] = []
            while self.kinds[self.i] != ")":
                values.append(self.initial_value())
                if not self.accept(","):
                    break
            self.expect(")", "after a repeated value")
            return syntax.ArrayItem(start, self.last_end, repeat, tuple(values))
        value = self.initial_value()
        return syntax.ArrayItem(start, value.end, None, (value,))

    def _structure_value(self) -> syntax.Expression:
        start = self.starts[self.i]
        self.i += 1
        self.deeper()
        fields: list[syntax.FieldValue] = []
        while True:
            begun = self.i
            self.i += 1
            self.expect(":=", "after the name of a field")
            value = self.initial_value()
            fields.append(syntax.FieldValue(self.starts[begun], self.end_of(begun), self.texts[begun], value))
            if not self.accept(","):
                break
            if self.kinds[self.i] != "name" and self.kinds[self.i] not in KEYWORDS:
                raise self.fail(words.missing_field_name(self.shown(self.i)))
        self.depth -= 1
        self.expect(")", "after the initial values")
        return syntax.StructureValue(start, self.last_end, tuple(fields))

    # --- comments that describe ---

    def comment_after(self, offset: int) -> str:
        """The comment that follows on the same line."""
        comment = self._comment_from(offset)
        if comment is None or "\n" in self.source.text[offset : comment.start]:
            return ""
        between = self.source.text[offset : comment.start].strip()
        return comment.text if between in ("", ";") else ""

    def comment_before(self, offset: int) -> str:
        """The comments that stand right before, with no blank line between, as one text of their lines."""
        comments = self.tokens.comments
        number = self._first_comment_from(offset) - 1
        parts: list[str] = []
        while number >= 0:
            between = self.source.text[comments[number].end : offset]
            if between.strip() or between.count("\n") > 1:
                break
            parts.append(comments[number].text)
            offset = comments[number].start
            number -= 1
        return "\n".join(reversed(parts))

    def _comment_from(self, offset: int) -> Comment | None:
        number = self._first_comment_from(offset)
        return self.tokens.comments[number] if number < len(self.tokens.comments) else None

    def _first_comment_from(self, offset: int) -> int:
        return bisect_left(self.tokens.comments, offset, key=lambda comment: comment.start)
