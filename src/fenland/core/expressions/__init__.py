"""The expression language: text to tree to function, each a file that can be read alone.

`evaluate(text, bindings)` gives the value of an expression, whatever its names are bound to;
`compile_expression(text, types)` checks it first and gives a function. Within: `tokens` and `parser` make a
`tree`, `checking` fits it to `types`, `evaluation` makes a function of it with `functions` over `kinds`, and
`reducing` settles what is known beforehand. Nothing here knows definitions, rules or storage.
"""

from fenland.core.expressions.evaluation import Compiled, compile_expression, compiled, evaluate
from fenland.core.expressions.faults import EvaluationError, ExpressionMistake
from fenland.core.expressions.functions import as_json
from fenland.core.expressions.kinds import kind_of
from fenland.core.expressions.parser import parse

__all__ = [
    "Compiled",
    "EvaluationError",
    "ExpressionMistake",
    "as_json",
    "compile_expression",
    "compiled",
    "evaluate",
    "kind_of",
    "parse",
]
