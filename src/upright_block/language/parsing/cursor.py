"""A place in the tokens of a source, and the findings made on the way."""

from __future__ import annotations

from upright_block.language.lexer import KEYWORDS, Tokens
from upright_block.language.limits import MOST_NESTED
from upright_block.language.names import did_you_mean
from upright_block.language.parsing.words import cursor as words
from upright_block.language.telling.findings import Findings, Related, Words

_AHEAD = 4
"""How many tokens beyond the next one a reader may look at."""


class SyntaxProblem(Exception):
    """Raised after its finding was recorded; the statement or declaration is given up."""


class Cursor:
    """Reads tokens one after the other."""

    def __init__(self, tokens: Tokens, findings: Findings) -> None:
        self.tokens = tokens
        self.source = tokens.source
        self.kinds = tokens.kinds + ["end"] * _AHEAD
        self.texts = tokens.texts + [""] * _AHEAD
        self.starts = tokens.starts + tokens.starts[-1:] * _AHEAD
        self.findings = findings
        self.i = 0
        self.depth = 0

    def end_of(self, index: int) -> int:
        """The offset after token ``index``."""
        return self.starts[index] + len(self.texts[index])

    @property
    def last_end(self) -> int:
        """The offset after the token just read."""
        return self.end_of(self.i - 1) if self.i else 0

    def accept(self, kind: str) -> bool:
        """Step over a token of this kind if it is next."""
        if self.kinds[self.i] == kind:
            self.i += 1
            return True
        return False

    def shown(self, index: int) -> str:
        """A token as a message names it."""
        return "the end of the file" if self.kinds[index] == "end" else self.texts[index]

    def report(self, start: int, end: int, words: Words, *related: Related) -> None:
        """Record an error."""
        self.findings.add(words.told(self.source, start, end, *related))

    def fail(self, words: Words, token: int | None = None) -> SyntaxProblem:
        """Record an error at a token (the next one by default) and return the exception to raise."""
        index = self.i if token is None else token
        if self.kinds[index] not in ("unknown", "end") or words.name == "missing-end":
            self.report(self.starts[index], max(self.end_of(index), self.starts[index] + 1), words)
        elif self.kinds[index] == "end" and not self.tokens.unclosed_comment:
            end = self.last_end
            self.report(max(end - 1, 0), end, words)
        return SyntaxProblem()

    def expect(self, kind: str, where: str) -> None:
        """Step over ``kind``; a misspelt keyword is named as such.

        Raises:
            SyntaxProblem: another token is next.
        """
        if self.kinds[self.i] == kind:
            self.i += 1
            return
        if kind in KEYWORDS and self.kinds[self.i] == "name" and self.is_misspelt(kind):
            word = self.texts[self.i]
            self.report(self.starts[self.i], self.end_of(self.i), words.misspelt_keyword(word, kind, where))
            self.i += 1
            return
        if kind in KEYWORDS and self.kinds[self.i] == ")":
            self.closes_nothing()
            self.expect(kind, where)
            return
        if self.i and self.kinds[self.i] not in ("unknown", "end") and self.on_new_line(self.i):
            # What is missing belongs to the line that it is missing in.
            last = self.i - 1
            self.report(self.starts[last], self.end_of(last), words.missing_at_end(kind, where, self.texts[last]))
            raise SyntaxProblem
        raise self.fail(words.missing(kind, where, self.shown(self.i)))

    def closes_nothing(self) -> None:
        """Report a parenthesis that closes nothing, and step over it."""
        self.fail(words.closes_nothing())
        self.i += 1

    def is_misspelt(self, keyword: str) -> bool:
        """Whether the next token is nearly ``keyword``."""
        word = self.texts[self.i].upper()
        return abs(len(word) - len(keyword)) <= 2 and bool(did_you_mean(word, [keyword]))

    def on_new_line(self, index: int) -> bool:
        """Whether token ``index`` begins on a later line than the one before it ends."""
        return "\n" in self.source.text[self.end_of(index - 1) : self.starts[index]]

    def deeper(self) -> None:
        """Count one more level of nesting.

        Raises:
            SyntaxProblem: the nesting is deeper than `limits.MOST_NESTED`.
        """
        self.depth += 1
        if self.depth > MOST_NESTED:
            raise self.fail(words.nested_too_deep())
