"""Loading `rules.py` of a project: its functions, or what is wrong. Without the file nothing is imported."""

from __future__ import annotations

import inspect
import sys
import traceback
from collections.abc import Callable, Iterator
from inspect import Parameter
from itertools import count
from pathlib import Path
from types import ModuleType
from typing import Any

from fenland.core.definitions.model import DefinitionMistakes, Mistake
from fenland.core.definitions.own import MARK, PARAMETERS, Function
from fenland.core.names import did_you_mean
from fenland.service.own.running import Limited
from fenland.service.settings import FILE_NAME

RULES = "rules.py"

#: Each project that is read has a module of its own, as has each time that it is read.
_NUMBERS = count(1)
#: How long a function may take where no setting says so.
_SECONDS = 2.0
#: Arguments are given by their names, and those of a derivation in order.
_BY_NAME = (Parameter.POSITIONAL_OR_KEYWORD, Parameter.KEYWORD_ONLY)
_IN_ORDER = (Parameter.POSITIONAL_ONLY, Parameter.POSITIONAL_OR_KEYWORD)


def load_functions(folder: Path, seconds: float) -> dict[str, Function]:
    """The functions of a project folder, each of which may take so long.

    Raises `DefinitionMistakes` with every mistake that can be told without the definitions.
    """
    path = folder / RULES
    if not path.is_file():
        return {}
    found: dict[str, Function] = {}
    mistakes: list[Mistake] = []
    for name, one in _marked(_imported(path)):
        line = inspect.getsourcelines(one)[1]
        wrong = list(_wrong(name, one))
        mistakes += [Mistake(RULES, line, "", what, hint) for what, hint in wrong]
        if not wrong:
            found[name] = _function(name, one, line, seconds)
    if mistakes:
        raise DefinitionMistakes(mistakes)
    return found


def own_functions(folder: Path) -> dict[str, Function]:
    """The functions of a project folder, as far as there are any; of a `rules.py` with mistakes, none.

    In a folder that is no project nothing is imported, whatever lies there.
    """
    if not (folder / FILE_NAME).is_file():
        return {}
    try:
        return load_functions(folder, _SECONDS)
    except DefinitionMistakes:
        return {}


def _imported(path: Path) -> ModuleType:
    """The module that the file is. Raises `DefinitionMistakes`."""
    module = ModuleType(f"fenland_project_rules_{next(_NUMBERS)}")
    module.__file__ = str(path)
    # Dataclasses and the like look up the module that they stand in.
    sys.modules[module.__name__] = module
    try:
        # As an import would, but for leaving nothing in the project's folder.
        exec(compile(path.read_bytes(), path, "exec"), vars(module))  # noqa: S102
    except SyntaxError as error:
        line = error.lineno if error.filename == str(path) else None
        what = f"This is not Python: {error.msg}."
        raise DefinitionMistakes(
            [Mistake(RULES, line or 1, "", what, "Correct it here or just above.")]
        ) from None
    except (Exception, SystemExit) as error:
        lines = [one.lineno for one in traceback.extract_tb(error.__traceback__) if one.filename == str(path)]
        what = f"It cannot be imported: {type(error).__name__}: {error}."
        hint = "It is imported when definitions are read: let it define functions, and do nothing else."
        raise DefinitionMistakes([Mistake(RULES, (lines or [1])[-1] or 1, "", what, hint)]) from None
    return module


def _marked(module: ModuleType) -> Iterator[tuple[str, Callable[..., Any]]]:
    """The functions of the module that a decorator marked, by the names that they have there."""
    for name, one in vars(module).items():
        if inspect.isfunction(one) and hasattr(one, MARK):
            yield name, one


def _function(name: str, one: Callable[..., Any], line: int, seconds: float) -> Function:
    parameters = inspect.signature(one).parameters
    needed = sum(each.default is Parameter.empty for each in parameters.values())
    kind = getattr(one, MARK)
    run = Limited(one, name, seconds)
    return Function(name, kind, tuple(parameters), needed, line, run, run.tell)


def _wrong(name: str, one: Callable[..., Any]) -> Iterator[tuple[str, str]]:
    """What is wrong with a function as such, and what to do about it."""
    kind = getattr(one, MARK)
    known = PARAMETERS[kind]
    if inspect.iscoroutinefunction(one) or inspect.isasyncgenfunction(one):
        yield f"{name} is async.", "Write def: it runs in a thread of its own, beside others."
    for parameter in inspect.signature(one).parameters.values():
        if parameter.kind not in (_IN_ORDER if known is None else _BY_NAME):
            yield f"{name} takes {parameter}.", "Name each parameter, without * and / among them."
        elif known is not None and parameter.name not in known:
            hint = f"{did_you_mean(parameter.name, known)} It may take {', '.join(known)}, and leave any out."
            yield f"{name} takes {parameter.name!r}, which nothing is given for.", hint
