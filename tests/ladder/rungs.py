"""Rungs beside the statements that they mean: each pair does the same whatever its inputs are."""

from __future__ import annotations

INPUTS = "VAR_INPUT a, b, c, d : BOOL; n, m : INT; END_VAR\n"
OUTPUTS = "VAR_OUTPUT q, r, s, t : BOOL; k : INT; x : TIME; END_VAR\n"

PAIRS: dict[str, tuple[str, str]] = {
    "a contact and a coil": (
        """
|  a    q  |
+--| |--( )+
""",
        "q := a;",
    ),
    "without a right rail": (
        """
|  a    q
+--|/|--( )
""",
        "q := NOT a;",
    ),
    "contacts in a row": (
        """
|  a    b    c    q  |
+--| |--|/|--| |--( )+
""",
        "q := a AND NOT b AND c;",
    ),
    "a negated coil": (
        """
|  a    q  |
+--| |--(/)+
""",
        "q := NOT a;",
    ),
    "a seal-in": (
        """
|  a      b    q  |
+--| |-+--|/|--( )+
|  q   |          |
+--| |-+          |
""",
        "q := (a OR q) AND NOT b;",
    ),
    "branches inside of branches": (
        """
|  a      b        q  |
+--| |-+--|/|-+---( )-+
|      |  c   |    r  |
|      +--| |-+-+-(/)-+
|      |  d     |     |
|      +--| |---+     |
""",
        "q := a AND (NOT b OR c); r := NOT (a AND (NOT b OR c OR d));",
    ),
    "three coils below each other": (
        """
|  a        q  |
+--| |---+-( )-+
|        |  r  |
|        +-(/)-+
|        |  s  |
|        +-(S)-+
""",
        "q := a; r := NOT a; IF a THEN s := TRUE; END_IF",
    ),
    "coils behind each other, with a contact that reads the first": (
        """
|  a    q    b    r  |
+--| |--( )--| |--( )+
|                    |
|                    |
""",
        "q := a; r := a AND b;",
    ),
    "a coil that changes what stands before it": (
        """
|  q    q    b    r  |
+--|/|--( )--| |--( )+
""",
        "t := NOT q; q := t; r := t AND b; t := FALSE;",
    ),
    "a contact behind the coil of its variable": (
        """
|  a    q    q    r  |
+--| |--(/)--| |--( )+
""",
        "q := NOT a; r := a AND q;",
    ),
    "set and reset": (
        """
|  a    s  |
+--| |--(S)+

|  b    s  |
+--| |--(R)+
""",
        "IF a THEN s := TRUE; END_IF IF b THEN s := FALSE; END_IF",
    ),
    "compare contacts": (
        """
|  n     q  |
+--|>=|--( )+
|  m        |

|  n     r  |
+--|<>|--( )+
|  5        |

|  n     a    s  |
+--|<|---| |--( )+
|  -3            |
""",
        "q := n >= m; r := n <> 5; s := n < -3 AND a;",
    ),
    "edges": (
        """
|  a    q  |
+--|P|--( )+

|  a    r  |
+--|N|--( )+
""",
        "q := a AND NOT last1; r := NOT a AND last1; last1 := a;",
    ),
    "coils of edges": (
        """
|  a    b    q  |
+--| |--| |--(P)+

|  a    r  |
+--| |--(N)+
""",
        "q := a AND b AND NOT last1; last1 := a AND b; r := NOT a AND last2; last2 := a;",
    ),
    "an edge is looked at whether or not its link conducts": (
        """
|  a    b    q  |
+--| |--|P|--( )+
""",
        "q := a AND b AND NOT last1; last1 := b;",
    ),
    "a counter with a literal, and its output on": (
        """
|          count           |
|         +-----+          |
|  a      | CTU |      q   |
+--| |----|CU  Q|-----( )--+
|  b      |     |          |
+--| |----|R  CV|-k        |
|      3--|PV   |          |
|         +-----+          |
""",
        "count(CU := a, R := b, PV := 3, CV => k); q := count.Q;",
    ),
    "a function with EN and ENO": (
        """
|         +-------+          |
|         |  ADD  |          |
|  a      |       |     q    |
+--| |----|EN  ENO|----( )---+
|      n--|       |-k        |
|      m--|       |          |
|         +-------+          |
""",
        "IF a THEN k := n + m; END_IF q := a;",
    ),
    "a function of links": (
        """
|         +-----+          |
|  a      | XOR |      q   |
+--| |----|     |-----( )--+
|  b      |     |          |
+--| |----|     |          |
|         +-----+          |
""",
        "q := a XOR b;",
    ),
    "a box NOT in line": (
        """
|         +-----+          |
|  a      | NOT |      q   |
+--| |----|     |-----( )--+
|         +-----+          |
""",
        "q := NOT a;",
    ),
    "negated pins": (
        """
|           pair           |
|         +-----+          |
|  a      | RS  |      q   |
+--| |---O|S  Q1|O----( )--+
|  b      |     |          |
+--| |----|R1   |          |
|         +-----+          |
""",
        "pair(S := NOT a, R1 := b); q := NOT pair.Q1;",
    ),
    "boxes behind boxes": (
        """
|          late               rise           |
|         +-----+           +--------+       |
|  a      | TON |           | R_TRIG |   q   |
+--| |----|IN  Q|-----------|CLK    Q|--( )--+
| T#300ms-|PT ET|-x         +--------+       |
|         +-----+                            |
""",
        "late(IN := a, PT := T#300ms, ET => x); rise(CLK := late.Q); q := rise.Q;",
    ),
    "a jump over a rung": (
        """
|  a            |
+--| |-->>OVER  |

|  b    q  |
+--| |--( )+

OVER:
|  c    r  |
+--| |--( )+
""",
        "IF NOT a THEN q := b; END_IF r := c;",
    ),
    "a return": (
        """
|  a            |
+--| |--<RETURN>|

|  b    q  |
+--| |--( )+
""",
        "IF a THEN RETURN; END_IF q := b;",
    ),
    "two jumps across each other": (
        """
|  a           |
+--| |-->>ONE  |

|  b           |
+--| |-->>TWO  |

|  c    q  |
+--| |--( )+

ONE:
|  d    r  |
+--| |--( )+

TWO:
|  c    s  |
+--| |--( )+
""",
        "IF NOT a THEN t := b; IF NOT b THEN q := c; END_IF ELSE t := FALSE; END_IF IF a OR NOT b THEN r := d; END_IF s := c; t := FALSE;",
    ),
    "typed comparisons": (
        """
|   n       q  |
+--|>= |---( )-+
|  |INT|       |
|   m          |
""",
        "q := n >= m;",
    ),
    "statements in a box": (
        """
|         +--------------+         |
|         |      ST      |         |
|  a      |              |    q    |
+--| |----|              |---( )---+
|         | k := n + m;  |         |
|         | r := k > 3;  |         |
|         +--------------+         |
""",
        "IF a THEN k := n + m; r := k > 3; END_IF q := a;",
    ),
    "a loop in a box": (
        """
|    +---------------------+    |
|    |         ST          |    |
+----|                     |    |
|    | k := 0;             |    |
|    | WHILE k < n DO      |    |
|    |   k := k +          |    |
|    |     2; (* at once *)|    |
|    | END_WHILE           |    |
|    +---------------------+    |
""",
        "k := 0; WHILE k < n DO k := k + 2; END_WHILE",
    ),
    "an in-out at both sides": (
        """
|            twice               |
|         +--------+             |
|  a      |  Flip  |        q    |
+--| |----|go     Q|-------( )---+
|      r--|one  one|-r           |
|         +--------+             |
""",
        "twice(go := a, one := r); q := twice.Q;",
    ),
    "the rail alone": (
        """
|   q   |
+--( )--+
""",
        "q := TRUE;",
    ),
}
HIDDEN = "VAR last1, last2 : BOOL; count : CTU; pair : RS; late : TON; rise : R_TRIG; twice : Flip; END_VAR\n"
FLIP = "FUNCTION_BLOCK Flip VAR_INPUT go : BOOL; END_VAR VAR_IN_OUT one : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR\nIF go THEN one := NOT one; END_IF Q := one;\nEND_FUNCTION_BLOCK\n"


def block(name: str, body: str) -> str:
    return f"FUNCTION_BLOCK {name}\n{INPUTS}{OUTPUTS}{HIDDEN}\n{body}\nEND_FUNCTION_BLOCK\n"
