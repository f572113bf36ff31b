"""The expression language: what its expressions give, what is no expression, and that nothing else can happen."""

from __future__ import annotations

from contextlib import suppress
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fenland.core.expressions import EvaluationError, ExpressionMistake, evaluate, parse
from fenland.core.limits import Bounds

BINDINGS = {
    "record": {"name": "Saw", "note": None, "level": 3, "price": Decimal("1.10"), "tags": ["a", "b"], "maker": {"town": "Ely"}},
    "actor": {"name": "ada", "roles": frozenset({"crew", "office"})},
    "day": date(2031, 4, 9), "now": datetime(2031, 4, 9, 14, 30, tzinfo=UTC), "x": 5, "p": Decimal("0.3"),
}  # fmt: skip

VALUES: list[tuple[str, Any]] = [
    # literals
    ("null", None), ("true", True), ("0x7fFFffffFFFFffff", 2**63 - 1), ("-0x8000000000000000", -(2**63)), ("-9223372036854775808", -(2**63)),
    (".5", 0.5), ("1e3", 1000.0), ("-1.5e-1", -0.15), (r"'\x41\u00e9\U0001F40C\101\n\"'", 'AéA\n"'.replace("A\n", "\U0001f40cA\n")),
    (r"r'\d+'", r"\d+"), ("'''a\n'b'''", "a\n'b"), ('"""x"""', "x"), ("[1, 'a', [true],]", [1, "a", [True]]), ("{'a': 1,}", {"a": 1}), ("[]", []), ("{}", {}),
    ("1 // the rest is said aside\n + 1", 2),
    # precedence and associativity
    ("1 + 2 * 3 - 4", 3), ("(1 + 2) * 3", 9), ("10 - 3 - 2", 5), ("-2 * -3", 6), ("--3", 3), ("!!true", True), ("1 < 2 == true", True),
    ("true || false && false", True), ("false ? 1 : true ? 2 : 3", 2), ("1 + 1 == 2 && 2 in [1, 2]", True), ("-x", -5), ("2 - -2", 4),
    # logic and errors
    ("1 / 0 == 1 || true", True), ("true || 1 / 0 == 1", True), ("false && 1 / 0 == 1", False), ("1 / 0 == 1 && false", False), ("true ? 1 : 1 / 0", 1),
    ("1 || true", True), ("'a' && false", False),
    # equality
    ("1 == 1.0", True), ("1 == true", False), ("1 == '1'", False), ("null == false", False), ("record.note == null", True), ("[1, 2.0] == [1.0, 2]", True),
    ("{'a': [1]} == {'a': [1.0]}", True), ("{'a': 1} == {'b': 1}", False), ("9007199254740993 == 9007199254740992.0", False), ("p == 0.3", True), ("[true] == [1]", False),
    ("record.price == 1.1", True), ("double('NaN') == double('NaN')", False), ("double('NaN') != 1.0", True),
    # order
    ("1 < 1.5", True), ("9007199254740993 > 9007199254740992.0", True), ("'a' < 'b'", True), ("'Z' < 'a'", True), ("'\uffff' < '\U0001f40c'", True), ("false < true", True),
    ("record.price > 1", True), ("double('NaN') < 1.0", False), ("double('NaN') >= 1.0", False), ("now > timestamp('2031-04-09T14:29:59.999999Z')", True), ("day < date('2031-04-10')", True),
    # arithmetic
    ("7 / 2", 3), ("-7 / 2", -3), ("7 % 3", 1), ("-7 % 3", -1), ("7 % -3", 1), ("7.0 / 2.0", 3.5), ("1.0 / 0.0", float("inf")), ("-1.0 / 0.0", float("-inf")), ("1.0 / -0.0", float("-inf")),
    ("'a' + 'b'", "ab"), ("[1] + [2]", [1, 2]), ("p + p + p == 0.9", True), ("p * 3", Decimal("0.9")), ("record.price - 1", Decimal("0.10")), ("p / 2", 0.15), ("0.1 + p", Decimal("0.4")), ("-p", Decimal("-0.3")),
    # fields and items
    ("record.name", "Saw"), ("record['name']", "Saw"), ("record.maker.town", "Ely"), ("record.tags[1]", "b"), ("record.tags[1.0]", "b"), ("has(record.name)", True), ("has(record.gone)", False),
    ("has(record.note)", True), ("{1: 'a', true: 'b', '1': 'c'}[1]", "a"), ("{1: 'a', true: 'b'}[true]", "b"), ("{1: 'a'}[1.0]", "a"), ("{'if': 1}.if", 1), ("'crew' in actor.roles", True),
    ("'name' in record", True), ("1 in {1: 2}", True), ("1.0 in [1]", True), ("true in {1: 2}", False), ("null in [null]", True),
    # macros
    ("[1, 2, 3].all(n, n > 0)", True), ("[1, 0].all(n, 1 / n > 5)", False), ("[0, 1].exists(n, 1 / n == 1)", True), ("[1, 2, 2].exists_one(n, n == 2)", False), ("[1, 2].exists_one(n, n == 2)", True),
    ("[1, 2, 3].filter(n, n % 2 == 1)", [1, 3]), ("[1, 2].map(n, n * x)", [5, 10]), ("[1, 2, 3].map(n, n > 1, n * 2)", [4, 6]), ("{'a': 1, 'b': 2}.filter(k, k == 'a')", ["a"]),
    ("{1: 1, true: 2}.exists(k, k == true)", True), ("[[1, 2], [3]].map(l, l.map(n, n + 1))", [[2, 3], [4]]), ("[].all(n, 1 / 0 == 1)", True), ("[1].map(x, x + 1)", [2]),
    # functions
    ("size('né\U0001f40c')", 3), ("'abc'.size()", 3), ("size([1, 2])", 2), ("size({'a': 1})", 1), ("'hello'.contains('ell')", True), ("'hello'.startsWith('he')", True), ("'hello'.endsWith('he')", False),
    ("'hello'.matches('l+')", True), ("matches('hello', '^l')", False), ("int('-12')", -12), ("int(-1.9)", -1), ("int(timestamp('1970-01-01T00:01:00Z'))", 60), ("int(record.price)", 1),
    ("double('1e3')", 1000.0), ("double(1)", 1.0), ("string(1.5)", "1.5"), ("string(2.0)", "2"), ("string(true)", "true"), ("string(record.price)", "1.10"), ("bool('TRUE')", True), ("bool('f')", False),
    ("type(1) == int", True), ("type(null) == null_type && type(type(1)) == type && type([]) == list", True), ("type(now) == google.protobuf.Timestamp", True), ("type('int') == int", False),
    ("1.5 in {1: 2}", False), ("1.0 / (0.0 * -1.0)", float("-inf")), ("timestamp('0001-01-01T00:00:00Z').getFullYear('-01:00')", 0), ("timestamp('0001-01-01T00:00:00Z').getHours('America/New_York')", 19),
    ("timestamp('9999-12-31T23:59:59Z').getFullYear('+01:00')", 10000), ("timestamp('9999-12-31T23:59:59Z').getDayOfWeek('+01:00')", 6), ("timestamp('0001-01-01T00:00:00Z').getMonth('-01:00')", 11),
    ("type(1) == type(2)", True), ("type(1) == type(1.0)", False), ("dyn(1) == 1", True), ("string(duration('-1.5s'))", "-1.5s"), ("string(timestamp('0099-01-02T03:04:05.120Z'))", "0099-01-02T03:04:05.12Z"),
    # times
    ("timestamp('2031-04-09T16:30:00+02:00') == now", True), ("now + duration('1h30m')", datetime(2031, 4, 9, 16, tzinfo=UTC)), ("now - timestamp('2031-04-09T14:00:00Z') == duration('30m')", True),
    ("duration('1.5s') + duration('500ms') == duration('2s')", True), ("duration('1h').getMinutes()", 60), ("duration('-1.25s').getMilliseconds()", -250), ("now.getFullYear()", 2031), ("now.getMonth()", 3),
    ("now.getDate()", 9), ("now.getDayOfMonth()", 8), ("now.getDayOfWeek()", 3), ("timestamp('2031-01-01T00:00:00Z').getDayOfYear()", 0), ("now.getHours('+02:00')", 16), ("now.getHours('-08:30')", 6),
    ("now.getHours('Europe/London')", 15), ("timestamp(0) == timestamp('1970-01-01T00:00:00Z')", True), ("day - date('2031-04-01')", 8), ("day + 22 == date('2031-05-01')", True), ("day.getDayOfWeek()", 3),
    # strings of ours
    ("'AbÉ'.lowerAscii()", "abÉ"), ("'abé'.upperAscii()", "ABé"), ("' a '.trim()", "a"), ("'a,b,c'.split(',')", ["a", "b", "c"]), ("'a,b,c'.split(',', 2)", ["a", "b,c"]), ("'abc'.split('')", ["a", "b", "c"]),
    ("'a,b'.split(',', 0)", []), ("['a', 'b'].join('-')", "a-b"), ("['a', 'b'].join()", "ab"), ("'aaa'.replace('a', 'b', 2)", "bba"), ("'aaa'.replace('a', '')", ""), ("'hello'.substring(1, 3)", "el"), ("'hello'.substring(5)", ""),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), VALUES, ids=lambda one: str(one)[:40])
def test_an_expression_has_its_value(text: str, expected: Any) -> None:
    found = evaluate(text, BINDINGS)
    assert (type(found), found) == (type(expected), expected)


ERRORS = [
    "null in {'a': 1}", "[1] in {'a': 1}", "-9223372036854775808 % -1", "timestamp('9999-12-31T23:59:59Z') - timestamp('0001-01-01T00:00:00Z')",
    "timestamp('0001-01-01T00:00:00Z') - duration('1s')", "timestamp('9999-12-31T23:59:59Z') + duration('1s')",
    "9223372036854775807 + 1", "-9223372036854775808 - 1", "-(-9223372036854775808)", "9223372036854775807 * 2", "-9223372036854775808 / -1", "1 / 0", "1 % 0", "1 + 1.0", "1.0 % 2.0", "'a' + 1",
    "record.gone", "record.note.x", "record.tags[2]", "record.tags[-1]", "record.tags[0.5]", "{'a': 1}['b']", "1 < 'a'", "null < 1", "record.note < 1", "[1] < [2]", "!1", "!(1 / 0 == 1)", "1 / 0 == 1 || false",
    "1 / 0 == 1 && true", "1 ? 2 : 3", "unknown", "1 in 'a'", "size(1)", "size(1, 2)", "'a'.matches('(')", "int('1.5')", "int('9223372036854775808')", "int(9223372036854775808.0)", "double('x')", "bool('yes')",
    "timestamp('2031-02-30T00:00:00Z')", "timestamp('2031-04-09')", "timestamp('9999-12-31T23:59:59Z') + duration('1s')", "duration('1x')", "duration('99999999999999h')", "date('2031-13-01')", "day + 99999999",
    "now.getHours('Nowhere/Here')", "{'a': 1, 'a': 2}", "{1: 1, 1.0: 2}", "{[1]: 2}", "[0, 1].filter(n, 1 / n == 1)", "[0, 1].exists_one(n, 1 / n == 1)", "[1, 0].all(n, 1 / n > 0)", "1.all(n, true)", "'ab'.substring(1, 0)",
    "[1].join()", "p / 0", "p + 1.5 + double('1')", "type(1) < type(2)", "nosuch(1)", "1.nosuch()",
]  # fmt: skip


@pytest.mark.parametrize("text", ERRORS)
def test_an_expression_without_a_value_says_so(text: str) -> None:
    with pytest.raises(EvaluationError) as told:
        evaluate(text, BINDINGS)
    assert str(told.value).endswith(".")


MISTAKES = [
    ("", 1, 1, "Expected a value, not the end"), ("1 +", 1, 4, "Expected a value"), ("a = 1", 1, 3, "Did you mean '=='"), ("a & b", 1, 3, "Did you mean '&&'"), ("(1", 1, 3, r"Expected '\)', not the end"),
    ("1 2", 1, 3, "Expected an operator or the end"), ("[1 2]", 1, 4, "','"), ("{'a' 1}", 1, 6, "':'"), ("a ? b", 1, 6, "':'"), ("f(1,)", 1, 5, "a value"), ("'abc", 1, 1, "does not end"), ("'a\nb'", 1, 1, "does not end"),
    (r"'\q'", 1, 2, "no escape"), (r"'\ud800'", 1, 2, "no such character"), ("1u", 1, 2, "unsigned"), ("12ab", 1, 3, "no number"), ("b'x'", 1, 1, "no bytes"), ("9223372036854775808", 1, 1, "64 bits"), ("if", 1, 1, "reserved"),
    ("A{b: 1}", 1, 2, "no messages"), ("has(a)", 1, 1, "has takes one field"), ("[1].all(1, true)", 1, 9, "a name for items"), ("a\n  + #", 2, 5, "no meaning"), ("!-1", 1, 2, "Expected a value"), ("a.1", 1, 2, "Expected an operator"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "line", "column", "what"), MISTAKES)
def test_a_mistake_has_its_place(text: str, line: int, column: int, what: str) -> None:
    with pytest.raises(ExpressionMistake, match=what) as told:
        parse(text)
    assert (told.value.line, told.value.column) == (line, column)
    assert told.value.caret.split("\n")[-1] == " " * (column - 1) + "^"


@pytest.mark.parametrize(
    "text",
    ["(" * 61 + "1" + ")" * 61, "[" * 61 + "]" * 61, "!" * 61 + "true", "+".join("1" * 62), "a" + ".b" * 61, "x" * 10_001, "&&".join(["true"] * 1001), "a[" * 61 + "0" + "]" * 61, "1 ? 1 : " * 61 + "1"],
    ids=range(9),
)  # fmt: skip
def test_what_one_expression_may_be_is_bounded(text: str) -> None:
    with pytest.raises(ExpressionMistake):
        parse(text)


def test_bounds_can_be_set() -> None:
    assert evaluate("&&".join(["true"] * 900), {}) is True
    with pytest.raises(ExpressionMistake, match="at most 5"):
        parse("1 + 1 + 1", Bounds(length=5))


def test_no_expression_runs_for_long_or_makes_much() -> None:
    many = {"l": list(range(1000)), "s": "a" * 1000}
    for text in ("l.all(a, l.all(b, l.all(c, true)))", "s.replace('a', s).replace('a', s).replace('a', s)", "l.map(a, l).map(b, b.map(c, l))", "l.map(n, s).join(s)"):  # fmt: skip
        with pytest.raises(EvaluationError, match="more than"):
            evaluate(text, many)
    assert evaluate("s.matches('(a*)*b')", many) is False


WORDS = st.sampled_from(
    ["1", "2.5", "'a'", "null", "true", "x", "record", "[", "]", "{", "}", "(", ")", ",", ":", "?", ".", "+", "-", "*", "/", "%", "!", "&&", "||", "==", "<", "in", "has(", ".all(n,", ".map(n,", "size(", "n", "now", "day", "'", "\\", "\n", "é", "0x", "1e", "p"]
)  # fmt: skip


@settings(max_examples=1000, deadline=None)
@given(text=st.lists(WORDS, max_size=12).map(" ".join) | st.text(max_size=12))
def test_any_text_gives_a_value_or_says_why_not(text: str) -> None:
    with suppress(ExpressionMistake, EvaluationError):
        evaluate(text, BINDINGS)


LEAVES = st.sampled_from(["0", "1", "-3", "2.5", "'a'", "''", "null", "true", "false", "x", "p", "record.note", "record.tags", "now", "day", "9223372036854775807", "{'a': 1}"])  # fmt: skip
EXPRESSIONS = st.recursive(
    LEAVES,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/", "%", "==", "!=", "<", "<=", ">", ">=", "in", "&&", "||"]), inner).map(lambda one: f"({' '.join(one)})"),
        inner.map(lambda one: f"!({one})"), inner.map(lambda one: f"-({one})"), st.tuples(inner, inner, inner).map(lambda one: f"({one[0]} ? {one[1]} : {one[2]})"),
        st.tuples(inner, inner).map(lambda one: f"[{one[0]}, {one[1]}]"), st.tuples(inner, st.sampled_from(["all", "exists", "exists_one", "filter", "map"]), inner).map(lambda one: f"({one[0]}).{one[1]}(n, {one[2]})"),
    ),
    max_leaves=10,
)  # fmt: skip


@settings(max_examples=1000, deadline=None)
@given(text=EXPRESSIONS)
def test_what_is_well_formed_has_a_value_or_an_error(text: str) -> None:
    try:
        first = evaluate(text, BINDINGS)
    except EvaluationError:
        return
    assert repr(evaluate(f"({text})", BINDINGS)) == repr(first)
    # A part that settles the whole outweighs one that has no value, on whichever side it stands.
    if isinstance(first, bool):
        operator = "||" if first else "&&"
        for whole in (f"{text} {operator} 1 / 0 == 1", f"1 / 0 == 1 {operator} {text}"):
            assert evaluate(whole, BINDINGS) is first
