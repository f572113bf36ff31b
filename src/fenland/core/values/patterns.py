"""Patterns: the regular expressions of JSON Schema, which are ECMA-262's, matched in linear time by RE2.

A pattern is read here by ECMA-262's own grammar (section 22.2.1, with the `u` flag, as JSON Schema asks)
and written in RE2's, so that it means here what it means in a browser: the dot, `\\s` and `$` know other
line ends than Python's do, and what only Python knows is refused. What no automaton can match without
going back (looking ahead and behind, references to groups) is refused too, and so are `\\p` classes, whose
members change with each edition of Unicode. Matching is unanchored, as JSON Schema says.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NoReturn

import re2

Ranges = list[tuple[int, int]]

_LAST = 0x10FFFF
_DIGIT: Ranges = [(0x30, 0x39)]
_WORD: Ranges = [(0x30, 0x39), (0x41, 0x5A), (0x5F, 0x5F), (0x61, 0x7A)]
_LINE_ENDS: Ranges = [(0x0A, 0x0A), (0x0D, 0x0D), (0x2028, 0x2029)]
_SPACE: Ranges = [
    (0x09, 0x0D), (0x20, 0x20), (0xA0, 0xA0), (0x1680, 0x1680), (0x2000, 0x200A), (0x2028, 0x2029),
    (0x202F, 0x202F), (0x205F, 0x205F), (0x3000, 0x3000), (0xFEFF, 0xFEFF),
]  # fmt: skip
_CONTROLS = {"t": 0x09, "n": 0x0A, "v": 0x0B, "f": 0x0C, "r": 0x0D}
_SYNTAX = "^$\\.*+?()[]{}|/"
#: RE2's own bound on counts.
_MOST_REPEATS = 1000
#: Memory for one compiled pattern, in bytes; RE2 refuses what needs more.
_MOST_MEMORY = 8 << 20
_DEEPEST = 100


def compile_pattern(pattern: str) -> Callable[[str], object]:
    """A function that tells whether the pattern matches somewhere in a text.

    Raises `ValueError` with the reason when it cannot be read, or not be matched in linear time.
    """
    options = re2.Options()
    options.max_mem, options.log_errors, options.never_capture = _MOST_MEMORY, False, True
    try:
        search: Callable[[str], object] = re2.compile(translated(pattern), options).search
    except re2.error as error:
        reason = error.args[0] if error.args else error
        reason = reason.decode() if isinstance(reason, bytes) else reason
        raise ValueError(f"it is too large to be matched quickly ({reason})") from None
    return search


def translated(pattern: str) -> str:
    """The same pattern in RE2's spelling. Raises `ValueError`."""
    return _Reader(pattern).read()


def _complement(ranges: Ranges) -> Ranges:
    found, following = [], 0
    for low, high in sorted(ranges):
        if low > following:
            found.append((following, low - 1))
        following = max(following, high + 1)
    return [*found, (following, _LAST)] if following <= _LAST else found


def _class(ranges: Ranges) -> str:
    """A set of characters; the empty one matches nothing."""
    if not ranges:
        return f"[^\\x{{0}}-\\x{{{_LAST:x}}}]"
    return "[" + "".join(f"\\x{{{low:x}}}-\\x{{{high:x}}}" for low, high in ranges) + "]"


_SETS: dict[str, Ranges] = {"d": _DIGIT, "w": _WORD, "s": _SPACE}
_SETS |= {name.upper(): _complement(ranges) for name, ranges in _SETS.items()}


class _Reader:
    """Reads one pattern from left to right; each method reads one production and returns RE2's text."""

    def __init__(self, pattern: str) -> None:
        self.pattern = pattern
        self.at = 0
        self.depth = 0
        self.names: set[str] = set()

    def fail(self, what: str) -> NoReturn:
        raise ValueError(f"{what} at character {self.at + 1}")

    def peek(self, text: str) -> bool:
        return self.pattern.startswith(text, self.at)

    def take(self, text: str) -> bool:
        if self.peek(text):
            self.at += len(text)
            return True
        return False

    def next(self, within: str) -> str:
        if self.at >= len(self.pattern):
            self.fail(f"{within} does not end")
        self.at += 1
        return self.pattern[self.at - 1]

    def read(self) -> str:
        found = self.alternatives()
        if self.at < len(self.pattern):
            self.fail("a ) has no ( before it")
        return found

    def alternatives(self) -> str:
        parts = [self.terms()]
        while self.take("|"):
            parts.append(self.terms())
        return "|".join(parts)

    def terms(self) -> str:
        found = []
        while self.at < len(self.pattern) and not self.peek("|") and not self.peek(")"):
            assertion = self.assertion()
            if assertion:
                found.append(assertion)
                if self.quantifier():
                    self.fail("there is nothing to repeat")
            else:
                found.append(self.atom() + self.quantifier())
        return "".join(found)

    def assertion(self) -> str:
        for ours, theirs in (("^", "\\A"), ("$", "\\z"), ("\\b", "\\b")):
            if self.take(ours):
                return theirs
        if self.peek("\\B"):
            # RE2 would also find one between the bytes of a letter.
            self.fail("\\B is not known here")
        for look in ("(?=", "(?!", "(?<=", "(?<!"):
            if self.peek(look):
                self.fail("looking ahead or behind cannot be matched in linear time")
        return ""

    def quantifier(self) -> str:
        found = ""
        for sign in "*+?":
            if self.take(sign):
                found = sign
                break
        else:
            if self.take("{"):
                found = self.counts()
        return found + "?" if found and self.take("?") else found

    def counts(self) -> str:
        low = self.number()
        if low is None:
            self.fail("{ must be followed by a count, or written as \\{")
        if not self.take(","):
            text = str(low)
            high = low
        else:
            limit = self.number()
            text = f"{low},{'' if limit is None else limit}"
            high = low if limit is None else limit
        if not self.take("}"):
            self.fail("a count does not end with }")
        if high < low:
            self.fail("a count's upper bound is below its lower one")
        if high > _MOST_REPEATS:
            self.fail(f"a count is above {_MOST_REPEATS}")
        return f"{{{text}}}"

    def number(self) -> int | None:
        start = self.at
        while self.at < len(self.pattern) and self.pattern[self.at] in "0123456789":
            self.at += 1
        return int(self.pattern[start : self.at][:9]) if self.at > start else None

    def atom(self) -> str:
        if self.take("."):
            return _class(_complement(_LINE_ENDS))
        if self.take("["):
            return self.members()
        if self.take("("):
            return self.group()
        if self.take("\\"):
            return self.escape()
        letter = self.next("the pattern")
        if letter in "*+?":
            self.at -= 1
            self.fail("there is nothing to repeat")
        if letter in "{}]":
            self.at -= 1
            self.fail(f"{letter} stands alone; write \\{letter}")
        return _class([(ord(letter), ord(letter))])

    def group(self) -> str:
        if self.take("?"):
            if self.take("<"):
                self.group_name()
            elif not self.take(":"):
                self.fail("a group cannot begin with this; ECMA-262 knows (?:…) and (?<name>…)")
        self.depth += 1
        if self.depth > _DEEPEST:
            self.fail("groups nest too deep")
        inner = self.alternatives()
        if not self.take(")"):
            self.fail("a group does not end with )")
        self.depth -= 1
        return f"(?:{inner})"

    def group_name(self) -> None:
        start = self.at
        while not self.take(">"):
            self.next("a group's name")
        name = self.pattern[start : self.at - 1]
        if not name.replace("$", "_").isidentifier() or name in self.names:
            self.fail(f"{name!r} cannot be a group's name, or names another group already")
        self.names.add(name)

    def escape(self) -> str:
        """An escape outside of a class, after its backslash."""
        letter = self.next("an escape")
        if letter in _SETS:
            return _class(_SETS[letter])
        if letter in "123456789k":
            self.fail("references to groups cannot be matched in linear time")
        code = self.character(letter, "")
        return _class([(code, code)])

    def character(self, letter: str, also: str) -> int:
        """The character that an escape stands for; `also` are more that stand for themselves."""
        if letter in _CONTROLS:
            return _CONTROLS[letter]
        if letter in _SYNTAX or (letter in also and letter):
            return ord(letter)
        if letter == "0" and not (self.at < len(self.pattern) and self.pattern[self.at].isdigit()):
            return 0
        if letter == "c":
            control = self.next("\\c")
            if control.isascii() and control.isalpha():
                return ord(control) % 32
        if letter == "x":
            return self.hexadecimal(2)
        if letter == "u":
            return self.code_point()
        if letter in "pP":
            self.fail("classes by Unicode property are not known here")
        return self.fail(f"\\{letter} is no escape of ECMA-262")

    def hexadecimal(self, length: int) -> int:
        digits = self.pattern[self.at : self.at + length]
        if len(digits) < length or any(one not in "0123456789abcdefABCDEF" for one in digits):
            self.fail(f"there must be {length} hexadecimal digits")
        self.at += length
        return int(digits, 16)

    def code_point(self) -> int:
        if self.take("{"):
            start = self.at
            while not self.take("}"):
                self.next("\\u{")
            digits = self.pattern[start : self.at - 1]
            if not digits or any(one not in "0123456789abcdefABCDEF" for one in digits) or len(digits) > 12:
                self.fail("there must be hexadecimal digits between { and }")
            code = int(digits, 16)
        else:
            code = self.hexadecimal(4)
            if 0xD800 <= code < 0xDC00 and self.take("\\u"):
                code = 0x10000 + ((code - 0xD800) << 10) + (self.hexadecimal(4) - 0xDC00)
        if code > _LAST or 0xD800 <= code < 0xE000:
            self.fail(f"{code:X} is no character")
        return code

    def members(self) -> str:
        """A class, after its [."""
        negated, ranges = self.take("^"), list[tuple[int, int]]()
        while not self.take("]"):
            low = self.member()
            if self.peek("-") and not self.peek("-]"):
                self.take("-")
                high = self.member()
                if isinstance(low, list) or isinstance(high, list):
                    self.fail("a range needs a character at both ends")
                if high < low:
                    self.fail("a range's ends are in the wrong order")
                ranges.append((low, high))
            else:
                ranges.extend(low if isinstance(low, list) else [(low, low)])
        return _class(_complement(ranges) if negated else ranges)

    def member(self) -> int | Ranges:
        letter = self.next("a class")
        if letter != "\\":
            return ord(letter)
        letter = self.next("an escape")
        if letter in _SETS:
            return _SETS[letter]
        return 0x08 if letter == "b" else self.character(letter, "-")
