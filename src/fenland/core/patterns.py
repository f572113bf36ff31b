"""Patterns: the regular expressions of JSON Schema, which are ECMA-262's, run by Python's `re`.

Four spellings mean other things to Python and are rewritten: `$` (Python also matches before a
last line break), and `\\d`, `\\w`, `\\s` (Python takes other scripts' digits and letters; ECMA's
white space is Unicode's). Matching is unanchored, as JSON Schema says.
"""

from __future__ import annotations

import re

_INSIDE = {
    "d": "0-9",
    "w": "A-Za-z0-9_",
    "s": "\\t\\n\\v\\f\\r \\u00a0\\ufeff\\u1680\\u2000-\\u200a\\u2028\\u2029\\u202f\\u205f\\u3000",
}


def _escape(letter: str, *, in_class: bool) -> str:
    lower = letter.lower()
    if lower not in _INSIDE or (in_class and letter != lower):
        return "\\" + letter
    if in_class:
        return _INSIDE[lower]
    return f"[{'^' if letter != lower else ''}{_INSIDE[lower]}]"


def translated(pattern: str) -> str:
    """The same pattern in Python's spelling."""
    out: list[str] = []
    in_class = False
    letters = iter(pattern)
    for letter in letters:
        if letter == "\\":
            out.append(_escape(next(letters, ""), in_class=in_class))
        elif letter == "$" and not in_class:
            out.append("\\Z")
        else:
            if letter == "[":
                # Python reads a bare [ inside a class as the start of a set operation to come.
                out.append("\\" if in_class else "")
                in_class = True
            elif letter == "]":
                in_class = False
            out.append(letter)
    return "".join(out)


def compile_pattern(pattern: str) -> re.Pattern[str]:
    """The compiled pattern. Raises `ValueError` with the reason when it cannot be read."""
    try:
        return re.compile(translated(pattern))
    except (re.error, OverflowError) as error:
        raise ValueError(str(error)) from None
