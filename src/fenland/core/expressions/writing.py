"""From a tree back to text: an expression as somebody would write it, with the parentheses that it needs."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any

from fenland.core.expressions.functions import as_json
from fenland.core.expressions.tree import (
    Call,
    Choice,
    Constant,
    Each,
    Entries,
    Failure,
    Index,
    Items,
    Logic,
    Name,
    Node,
    Path,
    Select,
)

#: How tightly operators bind; a part that binds less tightly than what it stands in needs parentheses.
_CHOICE, _OR, _AND, _RELATION, _SUM, _PRODUCT, _SIGN, _WHOLE = range(8)
_BINDING = {
    **dict.fromkeys(("==", "!=", "<", "<=", ">", ">=", "in"), _RELATION),
    **dict.fromkeys("+-", _SUM),
    **dict.fromkeys("*/%", _PRODUCT),
}


def written(node: Node) -> str:
    """The text of a tree."""
    return _text(node, _CHOICE)


def _text(node: Node, least: int) -> str:
    text, binding = _written(node)
    return f"({text})" if binding < least else text


def _written(node: Node) -> tuple[str, int]:
    match node:
        case Constant():
            return node.text or _value(node.value), _WHOLE
        case Name():
            return node.name, _WHOLE
        case Path():
            return ".".join((node.root, *(step.name for step in node.steps))), _WHOLE
        case Failure():
            return "(an error)", _WHOLE
        case Select():
            text = f"{_text(node.operand, _WHOLE)}.{node.field}"
            return f"has({text})" if node.asks else text, _WHOLE
        case Index():
            return f"{_text(node.operand, _WHOLE)}[{written(node.index)}]", _WHOLE
        case Logic():
            binding = _AND if node.operator == "&&" else _OR
            return f" {node.operator} ".join(_text(part, binding + 1) for part in node.parts), binding
        case Choice():
            parts = (_text(node.condition, _OR), _text(node.yes, _OR), _text(node.no, _CHOICE))
            return "{} ? {} : {}".format(*parts), _CHOICE
        case Items():
            return f"[{', '.join(map(written, node.items))}]", _WHOLE
        case Entries():
            return (
                f"{{{', '.join(f'{written(key)}: {written(value)}' for key, value in node.entries)}}}",
                _WHOLE,
            )
        case Each():
            inner = [
                node.variable,
                *(written(one) for one in (node.condition, node.result) if one is not None),
            ]
            return f"{_text(node.operand, _WHOLE)}.{node.macro}({', '.join(inner)})", _WHOLE
        case Call():
            return _called(node)


def _called(node: Call) -> tuple[str, int]:
    symbol, arguments = node.name.strip("_"), node.arguments
    if node.name.endswith("_") and len(arguments) == 1:
        return f"{symbol}{_text(arguments[0], _SIGN)}", _SIGN
    if node.name.startswith("_"):
        binding = _BINDING[symbol]
        left, right = _text(arguments[0], binding), _text(arguments[1], binding + 1)
        return f"{left} {symbol} {right}", binding
    if node.method:
        return f"{_text(arguments[0], _WHOLE)}.{node.name}({', '.join(map(written, arguments[1:]))})", _WHOLE
    return f"{node.name}({', '.join(map(written, arguments))})", _WHOLE


def _value(value: Any) -> str:
    """A value that nobody wrote, as a literal, or as what makes it."""
    if value is None or isinstance(value, bool):
        return {None: "null", True: "true", False: "false"}[value]
    if isinstance(value, (datetime, timedelta, date)):
        kind = {datetime: "timestamp", timedelta: "duration"}.get(type(value), "date")
        return f'{kind}("{as_json(value)}")'
    if isinstance(value, list):
        return f"[{', '.join(map(_value, value))}]"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{_value(key)}: {_value(one)}' for key, one in value.items())}}}"
    if isinstance(value, str):
        escaped = value.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\r", "\\r")
        return f'"{escaped}"'
    return format(value, "f") if isinstance(value, Decimal) else repr(value)
