"""From text to tokens, by the lexical grammar of the CEL specification."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from fenland.core.expressions.faults import ExpressionMistake

Kind = Literal["name", "int", "double", "string", "mark", "end"]


@dataclass(frozen=True, slots=True)
class Token:
    """A piece of the text; `value` is that of a literal."""

    kind: Kind
    text: str
    at: int
    value: Any = None


_SPACE = re.compile(r"(?:[ \t\n\f\r]+|//[^\n]*)+")
_NAME = re.compile(r"[_a-zA-Z][_a-zA-Z0-9]*")
_NUMBER = re.compile(
    r"(?P<hex>0[xX][0-9a-fA-F]+)|(?P<double>[0-9]*\.[0-9]+(?:[eE][+-]?[0-9]+)?|[0-9]+[eE][+-]?[0-9]+)|(?P<int>[0-9]+)"
)
_MARK = re.compile(r"&&|\|\||[=!<>]=|[-+*/%!<>?:.,()\[\]{}]")
_QUOTE = re.compile(r"(?P<before>[rRbB]{0,2})(?P<quote>\"\"\"|'''|\"|')")
_ESCAPE = re.compile(
    r"\\(?:(?P<letter>[abfnrtv\\?\"'`])|[xX](?P<x>[0-9a-fA-F]{2})|u(?P<u>[0-9a-fA-F]{4})"
    r"|U(?P<U>[0-9a-fA-F]{8})|(?P<octal>[0-3][0-7]{2}))"
)
_LETTERS = {"a": "\a", "b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t", "v": "\v"}
_HIGHEST, _SURROGATES = 0x10FFFF, range(0xD800, 0xE000)


def tokens_of(text: str) -> Iterator[Token]:
    """The tokens of a text, the end among them. Raises `ExpressionMistake`."""
    at = 0
    while True:
        if (space := _SPACE.match(text, at)) is not None:
            at = space.end()
        if at == len(text):
            yield Token("end", "", at)
            return
        token = _token(text, at)
        yield token
        at += len(token.text)


def _token(text: str, at: int) -> Token:
    if (quoted := _QUOTE.match(text, at)) is not None:
        return _string(text, quoted)
    if (name := _NAME.match(text, at)) is not None:
        return Token("name", name[0], at)
    if (number := _NUMBER.match(text, at)) is not None:
        return _number(text, number)
    if (mark := _MARK.match(text, at)) is not None:
        return Token("mark", mark[0], at)
    if text[at] in "=&|":
        twice = text[at] * 2
        raise ExpressionMistake(text, at, f"{text[at]!r} is no operator. Did you mean {twice!r}?")
    raise ExpressionMistake(text, at, f"{text[at]!r} has no meaning here.")


def _number(text: str, found: re.Match[str]) -> Token:
    if (after := _NAME.match(text, found.end())) is not None:
        if after[0] in ("u", "U"):
            raise ExpressionMistake(text, after.start(), "There are no unsigned integers. Leave the u out.")
        raise ExpressionMistake(text, after.start(), f"{found[0] + after[0]!r} is no number.")
    if found["double"] is not None:
        return Token("double", found[0], found.start(), float(found[0]))
    return Token("int", found[0], found.start(), int(found[0], 16 if found["hex"] else 10))


def _string(text: str, found: re.Match[str]) -> Token:
    before, quote, at = found["before"].lower(), found["quote"], found.start()
    if "b" in before:
        raise ExpressionMistake(text, at, "There are no bytes here. Write a string.")
    if before == "rr":
        raise ExpressionMistake(text, at, "One r before the quote is enough.")
    pieces, place = [], found.end()
    while not text.startswith(quote, place):
        if place >= len(text) or (len(quote) == 1 and text[place] in "\r\n"):
            raise ExpressionMistake(text, at, f"This string does not end. Add {quote} after it.")
        if text[place] == "\\" and not before:
            piece, place = _escape(text, place)
        else:
            piece, place = text[place], place + 1
        pieces.append(piece)
    end = place + len(quote)
    return Token("string", text[at:end], at, "".join(pieces))


def _escape(text: str, at: int) -> tuple[str, int]:
    found = _ESCAPE.match(text, at)
    if found is None:
        raise ExpressionMistake(text, at, "This is no escape. Write \\\\ for a backslash.")
    if found["letter"] is not None:
        return _LETTERS.get(found["letter"], found["letter"]), found.end()
    digits = found["x"] or found["u"] or found["U"]
    number = int(digits, 16) if digits else int(found["octal"], 8)
    if number > _HIGHEST or number in _SURROGATES:
        raise ExpressionMistake(text, at, "There is no such character.")
    return chr(number), found.end()
