"""The expression language: text to tree to function, each a file that can be read alone.

`evaluate(text, bindings)` gives the value of an expression, `parse` its tree. Nothing here knows records.
"""

from fenland.core.expressions.evaluation import Compiled, compiled, evaluate
from fenland.core.expressions.faults import EvaluationError, ExpressionMistake
from fenland.core.expressions.functions import as_json
from fenland.core.expressions.kinds import kind_of
from fenland.core.expressions.parser import Bounds, parse

__all__ = [
    "Bounds",
    "Compiled",
    "EvaluationError",
    "ExpressionMistake",
    "as_json",
    "compiled",
    "evaluate",
    "kind_of",
    "parse",
]
