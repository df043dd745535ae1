"""The standard functions, against NumPy, against Python's texts and dates, and by hand."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import SECOND, block, checked, machine_of
from upright_block.compiler.layout import DATA
from upright_block.language.literals import Value, next_real, round_real, shown, shown_duration, shown_real
from upright_block.language.types import DT, LREAL, REAL
from upright_block.machine.machine import Machine

N = 2000
ULPS = 2
random = np.random.default_rng(1)
WIDE = random.choice([-1, 1], N) * 10.0 ** random.uniform(-300, 300, N)
USUAL = random.uniform(-100, 100, N)
UNIT = np.concatenate([random.uniform(-1, 1, N), 1 - 10.0 ** random.uniform(-16, -1, N), [0.0, -0.0, 1.0, -1.0]])
ANGLES = np.concatenate([WIDE, USUAL, random.integers(-(10**6), 10**6, N) * np.pi / 2, [0.0, -0.0, np.inf, np.nan]])
ABOVE = np.concatenate([np.abs(WIDE), 1 + 10.0 ** random.uniform(-16, -1, N), [0.0, -1.0, 5e-324, np.inf, np.nan]])
POWERS = np.concatenate([random.uniform(-745, 710, N), random.uniform(-1, 1, N), [0.0, np.inf, -np.inf, np.nan, 1e6]])

NUMERIC: list[tuple[str, Callable[..., np.ndarray], list[np.ndarray]]] = [
    ("SIN(x[i])", np.sin, [ANGLES]),
    ("COS(x[i])", np.cos, [ANGLES]),
    ("TAN(x[i])", np.tan, [ANGLES]),
    ("EXP(x[i])", np.exp, [POWERS]),
    ("LN(x[i])", np.log, [ABOVE]),
    ("LOG(x[i])", np.log10, [ABOVE]),
    ("ATAN(x[i])", np.arctan, [ANGLES]),
    ("ASIN(x[i])", np.arcsin, [UNIT]),
    ("ACOS(x[i])", np.arccos, [UNIT]),
    ("ATAN2(Y := x[i], X := y[i])", np.arctan2, [np.concatenate([WIDE, USUAL]), np.concatenate([USUAL, WIDE])]),
    ("EXPT(x[i], y[i])", np.power, [np.abs(USUAL), random.uniform(-20, 20, N)]),
    ("SQRT(x[i])", np.sqrt, [ABOVE]),
]


def column(machine: Machine, name: str, count: int) -> np.ndarray:
    """An array of LREAL in the machine's memory."""
    offset = machine.slot(f"{name}[1]").offset
    return np.frombuffer(machine._bytes, "<f8", count, DATA + offset)


@pytest.mark.parametrize(("call", "oracle", "given_"), NUMERIC, ids=[call.partition("(")[0] for call, _, _ in NUMERIC])
def test_a_numeric_function_is_within_two_units_in_the_last_place(
    call: str, oracle: Callable[..., np.ndarray], given_: list[np.ndarray]
) -> None:
    count = len(given_[0])
    arrays = "".join(f"{name} : ARRAY [1..{count}] OF LREAL; " for name in "xyr")
    machine = machine_of(block(f"{arrays}i : DINT;", f"FOR i := 1 TO {count} DO r[i] := {call}; END_FOR"))
    for name, values in zip("xy", given_, strict=False):
        column(machine, name, count)[:] = values
    assert machine.run(1, watched=()).fault is None
    got = column(machine, "r", count)
    with np.errstate(all="ignore"):
        wanted = oracle(*given_)
        far = np.abs(got - wanted) > ULPS * np.spacing(np.abs(wanted))
    same = (got == wanted) | (np.isnan(got) & np.isnan(wanted))
    wrong = np.flatnonzero(~same & (far | np.isnan(got) | np.isnan(wanted)))
    assert [(given_[0][k], got[k], wanted[k]) for k in wrong[:3]] == []


def test_a_known_hard_angle_is_reduced_exactly() -> None:
    """The LREAL nearest to a multiple of a quarter turn; its cosine is known from the literature (Muller 2006)."""
    machine = machine_of(block("r : LREAL;", "r := COS(5.319372648326541E255);"))
    machine.run(1)
    assert machine.read("r") == pytest.approx(-4.68716592425462761112e-19, rel=2e-16)


BY_HAND: list[tuple[str, str, Value]] = [
    ("INT", "ADD(1, 2, 3)", 6),
    ("INT", "SUB(IN1 := 1, IN2 := 2)", -1),
    ("DINT", "MUL(DINT#3, 4) / DIV(10, 4)", 6),
    ("INT", "MOD(17, 5) + MOVE(1)", 3),
    ("BOOL", "AND(TRUE, NOT FALSE, OR(FALSE, TRUE))", True),
    ("WORD", "XOR(WORD#16#FF, 16#0F)", 0xF0),
    ("BOOL", "GT(3, 2, 1) AND NOT GE(3, 4) AND EQ(2, 2, 2) AND LE(1, 1, 2) AND LT(1, 2) AND NE(1, 2)", True),
    ("INT", "MUX(1, 10, 20, 30)", 20),
    ("STRING", "MUX(K := 0, IN0 := 'ab', IN1 := 'cdef')", "ab"),
    ("BYTE", "SHL(BYTE#16#81, 1)", 0x02),
    ("BYTE", "SHR(BYTE#16#81, 8)", 0),
    ("BYTE", "ROL(BYTE#16#81, 9)", 0x03),
    ("WORD", "ROR(WORD#16#0001, 4)", 0x1000),
    ("DWORD", "ROL(DWORD#16#8000_0000, 1)", 1),
    ("LWORD", "SHL(LWORD#1, 64)", 0),
    ("INT", "TO_INT(2.5) + TO_INT(3.5) + TRUNC_INT(2.9)", 8),
    ("DINT", "TRUNC(REAL#-2.9)", -2),
    ("UINT", "TO_BIG_ENDIAN(UINT#16#1234)", 0x3412),
    ("DWORD", "FROM_BIG_ENDIAN(DWORD#16#12345678)", 0x78563412),
    ("LINT", "TO_LITTLE_ENDIAN(LINT#5)", 5),
    ("UINT", "WORD_BCD_TO_UINT(WORD#16#1234)", 1234),
    ("WORD", "UINT_TO_BCD_WORD(UINT#9876)", 0x9876),
    ("BOOL", "IS_VALID_BCD(16#99) AND NOT IS_VALID_BCD(16#9A)", True),
    ("BOOL", "IS_VALID(1.5) AND NOT IS_VALID(SQRT(-1.0)) AND NOT IS_VALID(EXP(1000.0))", True),
    ("STRING", "INT_TO_STRING(-32768)", "-32768"),
    ("STRING", "ULINT_TO_STRING(16#FFFF_FFFF_FFFF_FFFF)", "18446744073709551615"),
    ("STRING", "CONCAT(BOOL_TO_STRING(TRUE), SINT_TO_STRING(0))", "TRUE0"),
    ("DINT", "STRING_TO_DINT('-12345')", -12345),
    ("WSTRING", "STRING_TO_WSTRING('h$E9llo')", "h\u00e9llo"),
    ("STRING", 'WSTRING_TO_STRING("5$20AC$00E9")', "5?\u00e9"),
    ("STRING", "CONCAT(CHAR_TO_STRING(CHAR#'A'), CHAR_TO_STRING('b'))", "Ab"),
    ("WSTRING", 'WCHAR_TO_WSTRING(WCHAR#"$20AC")', "\u20ac"),
    ("LDT", "CONCAT_LDT(1970, 1, 1, 0, 0, 1, 5)", 1_005_000_000),
    ("LDT", "CONCAT_DATE_LTOD(D#1970-01-02, CONCAT_LTOD(1, 0, 0, 0))", 90_000 * SECOND),
    ("INT", "DAY_OF_WEEK(D#2026-11-24)", 2),
    ("DT", "CONCAT_DT(2024, 2, 29, 23, 59, 58, 7)", 1709251198_007000000),
    ("TIME", "MUL_TIME(T#2s, 3) + DIV_TIME(T#5s, 2)", 8_500_000_000),
    ("TOD", "ADD_TOD_TIME(TOD#06:00:00, T#30m)", 23400 * SECOND),
    ("LINT", "NANOSECONDS(T#1ms)", 1_000_000),
]


def test_functions_by_hand() -> None:
    names = "".join(f"r{i} : {type_}; " for i, (type_, _, _) in enumerate(BY_HAND))
    body = "\n".join(f"r{i} := {call};" for i, (_, call, _) in enumerate(BY_HAND))
    machine = machine_of(block(names, body))
    trace = machine.run(1)
    assert trace.fault is None, trace.fault
    got = [(call, machine.read(f"r{i}")) for i, (_, call, _) in enumerate(BY_HAND)]
    assert got == [(call, value) for _, call, value in BY_HAND]


@pytest.mark.parametrize(
    ("body", "kind"),
    [
        ("n := STRING_TO_INT('12a');", "text that is no number"),
        ("n := STRING_TO_INT('40000');", "value outside -32768..32767"),
        ("u := WORD_BCD_TO_UINT(16#00A0);", "digit above 9"),
        ("d := CONCAT_DATE(2023, 2, 29);", "date that does not exist"),
        ("ASSERT(n = 1);", "assertion failed"),
    ],
)
def test_a_value_that_means_nothing_is_a_fault(body: str, kind: str) -> None:
    fault = machine_of(block("n : INT; u : UINT; d : DATE;", body)).run(1).fault
    assert fault is not None
    assert (fault.site.kind, fault.site.unit.name, fault.site.line) == (kind, "B", 3)


TEXT_OF = {
    "LEFT(s, k)": lambda s, t, k, p: s[: max(k, 0)],
    "RIGHT(s, k)": lambda s, t, k, p: s[max(len(s) - max(k, 0), 0) :],
    "MID(s, k, p)": lambda s, t, k, p: s[max(p - 1, 0) :][: max(k, 0)],
    "CONCAT(s, t, s)": lambda s, t, k, p: s + t + s,
    "INSERT(s, t, p)": lambda s, t, k, p: s[: max(p, 0)] + t + s[max(p, 0) :],
    "DELETE(s, k, p)": lambda s, t, k, p: s[: p - 1] + s[p - 1 + k :] if p >= 1 and k >= 0 else None,
    "REPLACE(s, t, k, p)": lambda s, t, k, p: s[: p - 1] + t + s[p - 1 + k :] if p >= 1 and k >= 0 else None,
    "FIND(s, t)": lambda s, t, k, p: s.find(t) + 1 if t else 0,
    "LEN(s)": lambda s, t, k, p: len(s),
    "s < t": lambda s, t, k, p: s < t,
    "s = t": lambda s, t, k, p: s == t,
}
TEXTS = machine_of(
    block(
        "s, t : STRING[12]; k, p : INT; "
        + "".join(
            f"r{i} : {'INT' if c[:3] in ('FIN', 'LEN') else 'BOOL' if c[0] == 's' else 'STRING[60]'}; "
            for i, c in enumerate(TEXT_OF)
        ),
        "\n".join(f"r{i} := {call};" for i, call in enumerate(TEXT_OF)),
    )
)
LETTERS = st.text("ab\u00e9", max_size=12)


@settings(max_examples=300, deadline=None)
@given(LETTERS, LETTERS, st.integers(-3, 15), st.integers(-3, 15))
def test_texts_are_those_of_python(s: str, t: str, k: int, p: int) -> None:
    for name, value in (("s", s), ("t", t), ("k", k), ("p", p)):
        TEXTS.write(name, value)
    assert TEXTS.run(1).fault is None
    for i, (call, oracle) in enumerate(TEXT_OF.items()):
        wanted = oracle(s, t, k, p)  # type: ignore[no-untyped-call]
        if wanted is not None:
            assert TEXTS.read(f"r{i}") == wanted, (call, s, t, k, p)


REALS = machine_of(
    block(
        "x, back : LREAL; y, short : REAL; s, t : STRING[40];",
        """s := LREAL_TO_STRING(x); back := STRING_TO_LREAL(s); t := REAL_TO_STRING(y); short := STRING_TO_REAL(t);""",
    )
)
READER = machine_of(block("s : STRING; x : LREAL; y : REAL;", "x := STRING_TO_LREAL(s); y := STRING_TO_REAL(s);"))


@settings(max_examples=300, deadline=None)
@given(st.floats(allow_nan=False, allow_infinity=False), st.floats(width=32, allow_nan=False, allow_infinity=False))
def test_a_real_becomes_the_shortest_text_that_reads_back(x: float, y: float) -> None:
    REALS.write("x", x)
    REALS.write("y", y)
    assert REALS.run(1).fault is None
    assert (REALS.read("s"), REALS.read("t")) == (shown_real(x, LREAL), shown_real(y, REAL))
    assert (REALS.read("back"), REALS.read("short")) == (x, y)


def nearest_real(exact: Fraction) -> float:
    """The REAL nearest to a number, ties to even; by way of an LREAL it could be rounded twice."""
    about = round_real(float(exact))
    near = [about, next_real(about, 1), next_real(about, -1)]
    return min(near, key=lambda real: (abs(Fraction(real) - exact), int(np.float32(real).view(np.uint32)) % 2))


@settings(max_examples=300, deadline=None)
@given(
    st.from_regex(r"[+-]?[0-9]{1,25}(\.[0-9]{1,25})?([eE][+-]?[0-9]{1,2})?", fullmatch=True, alphabet="0123456789+-.eE")
)
def test_a_text_becomes_the_nearest_real(text: str) -> None:
    READER.write("s", text)
    trace = READER.run(1)
    if abs(float(text)) < 3.4e38:
        assert trace.fault is None
        assert (READER.read("x"), READER.read("y")) == (float(text), nearest_real(Fraction(text)))


@pytest.mark.parametrize("text", ["", "-", "1.", ".5", "1e", "1e+", "1.5x", "--1", "1 2", "1E400", "nan"])
def test_a_text_that_is_no_real_is_a_fault(text: str) -> None:
    READER.write("s", text)
    fault = READER.run(1).fault
    assert fault is not None
    assert fault.site.kind == "text that is no number"


DATES = machine_of(
    block(
        "d : DT; y, mo, dy, h, mi, s, ms, w : INT; back : DT;",
        """SPLIT_DT(IN := d, YEAR => y, MONTH => mo, DAY => dy, HOUR => h, MINUTE => mi, SECOND => s, MILLISECOND => ms);
        w := DAY_OF_WEEK(DT_TO_DATE(d)); back := CONCAT_DT(y, mo, dy, h, mi, s, ms);""",
    )
)
TIMES = machine_of(
    block(
        "t : TIME; d : DT; s, u, v, w : STRING[40];",
        "s := TIME_TO_STRING(t); u := DT_TO_STRING(d); v := DATE_TO_STRING(DT_TO_DATE(d)); w := TOD_TO_STRING(DT_TO_TOD(d));",
    )
)


@settings(max_examples=300, deadline=None)
@given(st.integers(-(2**63) + 1, 2**63 - 1) | st.integers(-(10**12), 10**12), st.integers(-(9 * 10**18), 9 * 10**18))
def test_times_become_their_literals(duration: int, moment: int) -> None:
    TIMES.write("t", duration)
    TIMES.write("d", moment)
    assert TIMES.run(1).fault is None
    date_, time = shown(moment, DT)[:10], shown(moment, DT)[11:]
    wanted = [f"T#{shown_duration(duration)}", f"DT#{date_}-{time}", f"D#{date_}", f"TOD#{time}"]
    assert [TIMES.read(name) for name in "suvw"] == wanted


EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@settings(max_examples=300, deadline=None)
@given(st.datetimes(datetime(1700, 1, 1), datetime(2200, 1, 1)))
def test_dates_are_those_of_python(moment: datetime) -> None:
    moment = moment.replace(microsecond=moment.microsecond // 1000 * 1000, tzinfo=UTC)
    DATES.write("d", (moment - EPOCH) // timedelta(microseconds=1) * 1000)
    assert DATES.run(1).fault is None
    parts = [DATES.read(name) for name in ("y", "mo", "dy", "h", "mi", "s", "ms", "w")]
    day = date(moment.year, moment.month, moment.day)
    assert parts == [
        moment.year,
        moment.month,
        moment.day,
        moment.hour,
        moment.minute,
        moment.second,
        moment.microsecond // 1000,
        day.isoweekday() % 7,
    ]
    assert DATES.read("back") == DATES.read("d")


@pytest.mark.parametrize(
    ("call", "name"),
    [
        ("n := LEN(5);", "type-mismatch"),
        ("n := LEFT('abc', 'x');", "type-mismatch"),
        ("n := MUX(1, 2);", "missing-pin"),
        ("w := SHL(n, 1);", "type-mismatch"),
        ("n := SEL(TRUE, 1);", "missing-pin"),
        ("n := LEN(WSTRING_TO_STRING('abc'));", "type-mismatch"),
        ("n := ABS(IN := 1, IN := 2);", "pin-twice"),
        ("n := ABS(1, 2);", "too-many-arguments"),
        ("n := AND(1, 2);", "type-mismatch"),
        ("ASSERT(n);", "type-mismatch"),
        ("ABS(n);", "unused-value"),
    ],
)
def test_a_wrong_call_is_found_once(call: str, name: str) -> None:
    assert [f.name for f in checked(block("n : INT; w : WORD;", call))[1]] == [name]
