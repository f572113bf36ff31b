"""A project folder: `fenland.toml` beside `collections/`, one YAML file a collection, and perhaps `rules.py`
and `messages/`, a file a language.

YAML is read by its 1.2 rules, so that `no`, `on` and `2031-04-09` are texts; numbers keep their
digits; and each place keeps its line, for the messages about it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from pathlib import Path
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import MarkedYAMLError, YAMLError
from ruamel.yaml.nodes import MappingNode, ScalarNode, SequenceNode

from fenland.core.definitions.field_reading import Path as Steps
from fenland.core.definitions.field_reading import Source
from fenland.core.definitions.model import DefinitionMistakes, Definitions, Mistake
from fenland.core.definitions.own import Functions
from fenland.core.definitions.reading import read_definitions
from fenland.core.problems import pointer_to
from fenland.core.wording import LANGUAGE, Wording, wrong_in
from fenland.service.mistakes import Mistakes
from fenland.service.own.loading import load_functions
from fenland.service.settings import FILE_NAME, Settings, SettingsRefused, read_settings

COLLECTIONS, MESSAGES = "collections", "messages"

_INTEGER = re.compile(r"[-+]?[0-9]+")
_NUMBER = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?")
_WORDS = {"true": True, "false": False, "null": None, "~": None, "": None}


@dataclass(frozen=True, slots=True)
class Project:
    """A folder that has been read: where it is, how it is set and what it defines."""

    folder: Path
    settings: Settings
    definitions: Definitions
    #: By language, what pages say that are opened by passes.
    wordings: Mapping[str, Wording] = field(default_factory=dict)
    #: What is wrong with its files now, where they are watched while it is served.
    mistakes: Mistakes | None = None


class _Reader:
    """Turns the nodes of one YAML file into plain data, noting lines and names given twice."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.lines: dict[Steps, int] = {}
        self.texts: dict[Steps, tuple[int, int]] = {}
        self.mistakes: list[Mistake] = []

    def value(self, node: Any, path: Steps) -> Any:
        self.lines.setdefault(path, node.start_mark.line + 1)
        if isinstance(node, MappingNode):
            return self._mapping(node, path)
        if isinstance(node, SequenceNode):
            return [self.value(item, (*path, place)) for place, item in enumerate(node.value)]
        mark, within = node.start_mark, node.style in ("|", ">")
        # Of a block the text begins in the next line, and how deep it is indented is not known here.
        column = 0 if within else mark.column + (2 if node.style else 1)
        self.texts[path] = (mark.line + (2 if within else 1), column)
        return _scalar(node)

    def _mapping(self, node: MappingNode, path: Steps) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key, inner in node.value:
            name = str(getattr(key, "value", ""))
            line = key.start_mark.line + 1
            if name in found:
                what = f"{name!r} stands twice in the same mapping."
                self.mistakes.append(Mistake(self.file, line, "", what, "Keep one of them."))
            self.lines[(*path, name)] = line
            found[name] = self.value(inner, (*path, name))
        return found


def _scalar(node: ScalarNode) -> Any:
    text: str = node.value
    if node.style is not None:
        return text
    if text.lower() in _WORDS and text in (text.lower(), text.upper(), text.capitalize()):
        return _WORDS[text.lower()]
    if _INTEGER.fullmatch(text):
        return int(text)
    return Decimal(text) if _NUMBER.fullmatch(text) else text


def read_source(path: Path, name: str) -> Source:
    """One YAML file as plain data. Raises `DefinitionMistakes` when it is not YAML."""
    try:
        node = YAML(typ="safe", pure=True).compose(path.read_text(encoding="utf-8"))
    except MarkedYAMLError as error:
        line = error.problem_mark.line + 1 if error.problem_mark else 1
        what = f"This is not YAML: {error.problem}."
        raise DefinitionMistakes([Mistake(name, line, "", what, "Correct it here or just above.")]) from None
    except (YAMLError, UnicodeDecodeError) as error:
        raise DefinitionMistakes([Mistake(name, 1, "", f"This cannot be read: {error}.", "")]) from None
    reader = _Reader(name)
    data = None if node is None else reader.value(node, ())
    if reader.mistakes:
        raise DefinitionMistakes(reader.mistakes)
    return Source(name, data, reader.lines, reader.texts)


def load_project(folder: Path) -> Project:
    """Reads a project folder whole.

    Raises `DefinitionMistakes` with the mistakes of all files, the settings among them, at once.
    """
    sources: dict[str, Source] = {}
    mistakes: list[Mistake] = []
    settings: Settings | None = None
    roles: Sequence[str] = ()
    functions: Functions | None = None
    try:
        settings = read_settings(folder)
        roles = settings.roles
    except SettingsRefused as found:
        if not (folder / FILE_NAME).is_file():
            raise
        mistakes.extend(found.mistakes)
        roles = found.roles
    for path in sorted((folder / COLLECTIONS).glob("*.y*ml")):
        try:
            sources[path.stem] = read_source(path, f"{COLLECTIONS}/{path.name}")
        except DefinitionMistakes as found:
            mistakes.extend(found.mistakes)
    if not sources and not mistakes:
        what = "There is no collection."
        mistakes.append(Mistake(COLLECTIONS, 1, "", what, "Add a file such as collections/notes.yaml."))
    wordings: Mapping[str, Wording] = {}
    try:
        wordings = read_wordings(folder)
    except DefinitionMistakes as found:
        mistakes.extend(found.mistakes)
    try:
        functions = load_functions(folder, 2.0 if settings is None else settings.rule_seconds)
    except DefinitionMistakes as found:
        # Then definitions may call whatever they name.
        mistakes.extend(found.mistakes)
    try:
        definitions = read_definitions(sources, roles, functions, kept=functions is None)
    except DefinitionMistakes as found:
        mistakes.extend(found.mistakes)
    if mistakes or settings is None:
        raise DefinitionMistakes(mistakes)
    return Project(folder, settings, definitions, wordings)


def read_wordings(folder: Path) -> dict[str, Wording]:
    """By language, what pages for people without an account say. Raises `DefinitionMistakes`."""
    found, mistakes = dict[str, Wording](), list[Mistake]()
    for path in sorted((folder / MESSAGES).glob("*.y*ml")):
        name = f"{MESSAGES}/{path.name}"
        if not LANGUAGE.fullmatch(path.stem):
            what = f"{path.stem!r} is no language."
            mistakes.append(Mistake(name, 1, "", what, "Name the file de.yaml or pt-BR.yaml, for one."))
            continue
        try:
            source = read_source(path, name)
        except DefinitionMistakes as wrong:
            mistakes.extend(wrong.mistakes)
            continue
        for place, what, hint in wrong_in(source.data):
            mistakes.append(Mistake(name, source.line(place), pointer_to(*place), what, hint))
        if not mistakes:
            parts = {part: source.data.get(part, {}) for part in ("words", "texts")}
            found[path.stem] = Wording(path.stem, **parts)
    if mistakes:
        raise DefinitionMistakes(mistakes)
    return found
