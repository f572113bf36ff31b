"""What can be wrong with an expression: as it is written, and as it is evaluated."""

from __future__ import annotations


class ExpressionMistake(Exception):
    """A text that is no expression: where, what is wrong, and the line with a caret under the place."""

    def __init__(self, text: str, at: int, what: str) -> None:
        before = text[:at]
        self.line = before.count("\n") + 1
        self.column = at - (before.rfind("\n") + 1) + 1
        self.what = what
        shown = text.split("\n")[self.line - 1]
        # Tabs stay, so that the caret stands where the place is shown.
        indent = "".join("\t" if letter == "\t" else " " for letter in shown[: self.column - 1])
        self.caret = f"{shown}\n{indent}^"
        super().__init__(f"Line {self.line}, column {self.column}: {what}")


class EvaluationError(Exception):
    """An expression that has no value for what it was given; the message says why."""
