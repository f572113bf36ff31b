"""The expression language: text to tree to function, each a file that can be read alone.

`evaluate(text, bindings)` gives the value of an expression, `parse` its tree. Nothing here knows records.
"""

from fenland.core.expressions.evaluation import compiled, evaluate
from fenland.core.expressions.faults import EvaluationError, ExpressionMistake
from fenland.core.expressions.parser import Bounds, parse

__all__ = ["Bounds", "EvaluationError", "ExpressionMistake", "compiled", "evaluate", "parse"]
