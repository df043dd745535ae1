"""Text to tokens, by one regular expression.

Tokens are kept as parallel lists, not as objects: a library of a thousand blocks has a million of
them. The kind of a token is the keyword or operator itself (``"IF"``, ``":="``), or one of
``name``, ``int``, ``real``, ``typed``, ``string``, ``address``, ``unknown`` and ``end``. A line of a
ladder is one token of kind ``rung``.
IEC 61131-3:2013, 6.1 (character set, identifiers, keywords, comments) and 6.3 (literals).
"""

from __future__ import annotations

import re
from sys import intern

from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings, Words

KEYWORDS = frozenset(
    [
        "ABSTRACT",
        "ACTION",
        "AND",
        "ARRAY",
        "AT",
        "BY",
        "CASE",
        "CLASS",
        "CONFIGURATION",
        "CONSTANT",
        "CONTINUE",
        "DO",
        "ELSE",
        "ELSIF",
        "END_ACTION",
        "END_CASE",
        "END_CLASS",
        "END_CONFIGURATION",
        "END_FOR",
        "END_FUNCTION",
        "END_FUNCTION_BLOCK",
        "END_IF",
        "END_INTERFACE",
        "END_METHOD",
        "END_NAMESPACE",
        "END_PROGRAM",
        "END_REPEAT",
        "END_RESOURCE",
        "END_STEP",
        "END_STRUCT",
        "END_TRANSITION",
        "END_TYPE",
        "END_VAR",
        "END_WHILE",
        "EXIT",
        "EXTENDS",
        "FALSE",
        "FINAL",
        "FOR",
        "FROM",
        "FUNCTION",
        "FUNCTION_BLOCK",
        "IF",
        "IMPLEMENTS",
        "INITIAL_STEP",
        "INTERFACE",
        "INTERNAL",
        "METHOD",
        "MOD",
        "NAMESPACE",
        "NON_RETAIN",
        "NOT",
        "NULL",
        "OF",
        "OR",
        "OVERLAP",
        "OVERRIDE",
        "PRIVATE",
        "PROGRAM",
        "PROTECTED",
        "PUBLIC",
        "READ_ONLY",
        "READ_WRITE",
        "REF_TO",
        "REPEAT",
        "RESOURCE",
        "RETAIN",
        "RETURN",
        "STEP",
        "STRUCT",
        "SUPER",
        "TASK",
        "THEN",
        "THIS",
        "TO",
        "TRANSITION",
        "TRUE",
        "TYPE",
        "UNTIL",
        "USING",
        "VAR",
        "VAR_ACCESS",
        "VAR_CONFIG",
        "VAR_EXTERNAL",
        "VAR_GLOBAL",
        "VAR_INPUT",
        "VAR_IN_OUT",
        "VAR_OUTPUT",
        "VAR_TEMP",
        "WHILE",
        "WITH",
        "XOR",
    ]
)

_TOKEN = re.compile(
    r"""[ \t\r\n\f\v\ufeff]*(?:
      (?P<name>[A-Za-z_]\w*)
      (?P<typed>\#(?:
          [0-9]+-[0-9]+-[0-9]+(?:-[0-9]+:[0-9]+(?::[0-9.]+)?)? | [0-9]+:[0-9]+(?::[0-9.]+)?
        | [+-]?[0-9]\w*(?:\.\w+)?(?:\#\w+|(?<=[eE])[+-][0-9]+)?
        | [A-Za-z_]\w* | '(?:[^'$\r\n]|\$[^\r\n])*' | "(?:[^"$\r\n]|\$[^\r\n])*"))?
    | (?P<real>[0-9][0-9_]*(?:\.[0-9][0-9_]*(?:[eE][+-]?[0-9]+)?|\.?[eE][+-]?[0-9]+\b|\.(?!\.)))
    | (?P<int>[0-9][0-9_]*(?:\#\w+)?)
    | (?P<comment>//[^\n]*|\(\*|/\*)
    | (?P<pragma>\{[^}]*\})
    | (?P<operator>:=|=>|<=|>=|<>|\*\*|\.\.|\?=|[-+*/=<>()\[\],;:.&^])
    | (?P<string>'(?:[^'$\r\n]|\$[^\r\n])*'|"(?:[^"$\r\n]|\$[^\r\n])*")
    | (?P<address>%[A-Za-z]*[0-9*]+(?:\.[0-9]+)*)
    | (?P<unknown>[^\ \t\r\n])
    )""",
    re.VERBOSE | re.ASCII,
)
_COMMENT_EDGE = {"(*": re.compile(r"\(\*|\*\)"), "/*": re.compile(r"/\*|\*/")}


@record
class Comment:
    """A comment without its marks; offsets are those of the whole comment."""

    start: int
    end: int
    text: str


@record
class Tokens:
    """The tokens of a source, in parallel lists that all end with a token of kind ``end``, and what stands between
    them.

    ``pragmas`` have their places, from brace to brace; what they say is nobody's business here.
    """

    source: Source
    kinds: list[str]
    texts: list[str]
    starts: list[int]
    comments: list[Comment]
    unclosed_comment: bool
    pragmas: list[tuple[int, int]]


def tokenize(source: Source, findings: Findings) -> Tokens:
    """Split ``source`` into tokens. Characters that belong to no token give findings."""
    text = source.text
    kinds: list[str] = []
    texts: list[str] = []
    starts: list[int] = []
    comments: list[Comment] = []
    pragmas: list[tuple[int, int]] = []
    fold: dict[str, str] = {}
    match = _TOKEN.match
    offset, unclosed = 0, False
    while found := match(text, offset):
        group = found.lastgroup
        offset = found.end()
        if group == "name":
            word = found[group]
            kind = fold.get(word)
            if kind is None:
                upper = word.upper()
                kind = fold[word] = intern(upper) if upper in KEYWORDS else "name"
        elif group == "operator":
            word = kind = intern(found[group])
            if word == "&":
                kind = "AND"
            elif word == "+" and (line := _rung(text, offset - 1)):
                word, kind = line, "rung"
                offset += len(line) - 1
        elif group == "comment":
            start = found.start(group)
            offset, closed = _comment_end(text, start, offset)
            if closed:
                comments.append(Comment(start, offset, _comment_text(text[start:offset])))
                continue
            unclosed = True
            findings.add(_unclosed_comment(text[start]).told(source, start, start + 2))
            break
        elif group == "pragma":
            pragmas.append((found.start(group), offset))
            continue
        elif group == "unknown" and found[group] == "|" and (line := _rung(text, offset - 1)):
            word, kind = line, "rung"
            offset += len(line) - 1
        elif group == "unknown":
            word, kind = found[group], "unknown"
            start = found.start(group)
            if _unknown(source, start, findings):
                end = text.find("\n", start)
                offset = len(text) if end < 0 else end
                kind = "broken"
        elif group == "typed":
            word, kind = found["name"] + found[group], group
        else:
            assert group is not None
            word, kind = found[group], group
        kinds.append(kind)
        texts.append(word)
        starts.append(found.start(group) if kind == "broken" else offset - len(word))
    kinds.append("end")
    texts.append("")
    starts.append(len(text))
    return Tokens(source, kinds, texts, starts, comments, unclosed, pragmas)


def _rung(text: str, start: int) -> str:
    """The line of a ladder that begins with a character, without a comment and blanks behind it; empty where that is no
    such line. One with ``+`` is, where a line beside it begins with ``|``, or a link with it.
    """
    begin = text.rfind("\n", 0, start) + 1
    if text[begin:start].strip(" \t\r\ufeff"):
        return ""
    end = text.find("\n", start)
    line = text[start : len(text) if end < 0 else end]
    if line[0] == "+":
        before = text[text.rfind("\n", 0, max(begin - 1, 0)) + 1 : max(begin - 1, 0)].lstrip(" \t")
        behind = text[start + len(line) + 1 : start + len(line) + 200].lstrip(" \t")
        if "|" not in (before[:1], behind[:1]) and line[1:3] != "--":
            return ""
    comment = _BEHIND_RUNG.search(line)
    while comment and comment[0] != "//":
        closed = line.find("*)", comment.end()) + 2 if comment[0] == "(*" else comment.end()
        if comment[0] == "(*" and (closed < 2 or not line[closed:].strip()):
            break
        comment = _BEHIND_RUNG.search(line, closed)  # that was a text, or a comment, inside of a box of statements
    return line[: comment.start() if comment else len(line)].rstrip(" \t\r")


_BEHIND_RUNG = re.compile(r"""//|\(\*|'(?:[^'$]|\$.)*'|"(?:[^"$]|\$.)*["]""")


def _comment_end(text: str, start: int, offset: int) -> tuple[int, bool]:
    """The end of the comment at ``start``; comments of one form nest (6.1.5)."""
    mark = text[start:offset][:2]
    if mark == "//":
        return offset, True
    edge = _COMMENT_EDGE[mark]
    depth = 1
    while found := edge.search(text, offset):
        offset = found.end()
        depth += 1 if found[0] == mark else -1
        if depth == 0:
            return offset, True
    return len(text), False


def _comment_text(comment: str) -> str:
    """What a comment says, in its lines."""
    body = comment[2:] if comment.startswith("//") else comment[2:-2]
    lines = (" ".join(line.strip("* \t").split()) for line in body.strip("*-= \t\r\n").splitlines())
    return "\n".join(line for line in lines if line)


def _unknown(source: Source, start: int, findings: Findings) -> bool:
    """Report a character that starts no token; True when it opens a text that is never closed."""
    char = source.text[start]
    said = _unclosed_text(char) if char in "'\"" else _unclosed_pragma() if char == "{" else _unknown_character(char)
    findings.add(said.told(source, start, start + 1))
    return char in "'\""


# --- what is said ---


def _unclosed_comment(opened: str) -> Words:
    return Words(
        "unclosed-comment", "This comment is never closed.", f"Close it with {'*)' if opened == '(' else '*/'}."
    )


def _unclosed_text(quote: str) -> Words:
    return Words(
        "unclosed-text",
        f"This text is not closed on its line: {quote} is missing.",
        f"Close it with {quote}; write {quote} inside a text as ${quote}.",
    )


def _unclosed_pragma() -> Words:
    return Words("unclosed-pragma", "This pragma is never closed.", "Close it with }.")


def _unknown_character(char: str) -> Words:
    shown = f"U+{ord(char):04X}" if not char.isprintable() else char
    otherwise = "Names are made of letters A to Z, digits and single underscores."
    return Words("unknown-character", f"The character {shown} has no meaning here.", _MEANT.get(char, otherwise))


_MEANT = {
    "‘": "Use the straight quote '.",
    "’": "Use the straight quote '.",
    "“": 'Use the straight quote ".',
    "”": 'Use the straight quote ".',
    "≥": "Write >=.",
    "≤": "Write <=.",
    "≠": "Write <>.",
    "!": "Not equal is <>; a negation is NOT.",
    "|": "Write OR.",
    "%": "The remainder is MOD.",
    "–": "Use the minus sign -.",
    "−": "Use the minus sign -.",
}
