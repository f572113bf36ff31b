"""The parser: any text gives a tree, or a mistake with its place and what was expected there.

By the grammar of the CEL specification, one method for each of its levels. Length, nesting and the number of
nodes are bounded, so that no text can take long.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import NoReturn, cast, get_args

from fenland.core.expressions.faults import ExpressionMistake
from fenland.core.expressions.kinds import TYPES, Type
from fenland.core.expressions.tokens import Kind, Token, tokens_of
from fenland.core.expressions.tree import (
    Call,
    Choice,
    Constant,
    Each,
    Entries,
    Index,
    Items,
    Logic,
    Macro,
    Name,
    Node,
    Select,
)
from fenland.core.limits import BOUNDS, Bounds

LOWEST_INTEGER, HIGHEST_INTEGER = -(2**63), 2**63 - 1

#: Words that the specification keeps for languages around it; after a dot they are fields like others.
_RESERVED = frozenset(
    {
        "as", "break", "const", "continue", "else", "for", "function", "if", "import", "let", "loop",
        "package", "namespace", "return", "var", "void", "while",
    }
)  # fmt: skip
_WORDS = {"true": True, "false": False, "null": None}
_MACROS = frozenset(get_args(Macro))
_RELATIONS = ("==", "!=", "<=", ">=", "<", ">", "in")


def parse(text: str, bounds: Bounds = BOUNDS) -> Node:
    """The tree of an expression. Raises `ExpressionMistake`."""
    if len(text) > bounds.length:
        what = f"The expression is {len(text)} characters long. Use at most {bounds.length}."
        raise ExpressionMistake(text[: bounds.length], bounds.length, what)
    parser = _Parser(text, bounds)
    found = parser.expression()
    parser.expect("end", "", "an operator or the end")
    return found


def _dotted(node: Node) -> str:
    """The name that a chain of fields spells; empty where it spells none."""
    if isinstance(node, Select):
        before = _dotted(node.operand)
        return f"{before}.{node.field}" if before else ""
    return node.name if isinstance(node, Name) else ""


#: Types that the specification calls by the names of messages.
_WELL_KNOWN: Mapping[str, Node] = {
    f"google.protobuf.{name}": Constant(TYPES[name.lower()], "", 0) for name in ("Timestamp", "Duration")
}


class _Parser:
    def __init__(self, text: str, bounds: Bounds) -> None:
        self._text = text
        self._bounds = bounds
        self._tokens = list(tokens_of(text))
        self._place = 0
        self._level = 0
        self._nodes = 0

    # --- tokens -------------------------------------------------------------------------------

    @property
    def _now(self) -> Token:
        return self._tokens[self._place]

    def _is(self, *marks: str) -> bool:
        return self._now.kind in ("mark", "name") and self._now.text in marks

    def _take(self) -> Token:
        token = self._now
        self._place += 1
        return token

    def _accept(self, mark: str) -> bool:
        if self._now.kind == "mark" and self._now.text == mark:
            self._place += 1
            return True
        return False

    def expect(self, kind: Kind, text: str, expected: str) -> Token:
        """The next token, which must be this one."""
        token = self._now
        if token.kind != kind or (text and token.text != text):
            self._refuse(token, expected)
        return self._take()

    def _refuse(self, token: Token, expected: str) -> NoReturn:
        found = "the end" if token.kind == "end" else repr(token.text[:40])
        raise ExpressionMistake(self._text, token.at, f"Expected {expected}, not {found}.")

    def _count(self, node: Node) -> Node:
        self._nodes += 1
        if self._nodes > self._bounds.nodes:
            what = f"The expression has more than {self._bounds.nodes} parts. Write a shorter one."
            raise ExpressionMistake(self._text, node.at, what)
        return node

    # --- levels, the loosest first ------------------------------------------------------------

    def expression(self) -> Node:
        """A whole expression, `? :` among its operators."""
        self._level += 1
        if self._level > self._bounds.nesting:
            what = f"The expression nests more than {self._bounds.nesting} levels. Write a flatter one."
            raise ExpressionMistake(self._text, self._now.at, what)
        found = self._logic("||", lambda: self._logic("&&", self._relation))
        if self._now.kind == "mark" and self._now.text == "?":
            at = self._take().at
            yes = self._logic("||", lambda: self._logic("&&", self._relation))
            self.expect("mark", ":", "':' and what holds otherwise")
            found = self._count(Choice(found, yes, self.expression(), at))
        self._level -= 1
        return found

    def _logic(self, operator: str, part: Callable[[], Node]) -> Node:
        parts, at = [part()], self._now.at
        while self._accept(operator):
            parts.append(part())
        if len(parts) == 1:
            return parts[0]
        return self._count(Logic("&&" if operator == "&&" else "||", tuple(parts), at))

    def _relation(self) -> Node:
        return self._left(_RELATIONS, self._sum)

    def _sum(self) -> Node:
        return self._left(("+", "-"), lambda: self._left(("*", "/", "%"), self._unary))

    def _left(self, operators: Sequence[str], part: Callable[[], Node]) -> Node:
        """Operators of one level, which bind to the left."""
        found, chained = part(), 0
        while self._is(*operators):
            token = self._take()
            chained += 1
            if chained > self._bounds.nesting:
                what = f"More than {self._bounds.nesting} operators stand in one row. Use parentheses."
                raise ExpressionMistake(self._text, token.at, what)
            found = self._count(Call(f"_{token.text}_", (found, part()), token.at))
        return found

    def _unary(self) -> Node:
        signs = []
        while self._now.kind == "mark" and self._now.text in "!-":
            signs.append(self._take())
            if signs[-1].text != signs[0].text or len(signs) > self._bounds.nesting:
                self._refuse(signs[-1], "a value")
        if signs and signs[0].text == "-" and self._now.kind in ("int", "double"):
            found = self._members(self._negative(signs.pop()))
        else:
            found = self._members(self._primary())
        for sign in reversed(signs):
            found = self._count(Call(f"{sign.text}_", (found,), sign.at))
        return found

    def _negative(self, sign: Token) -> Node:
        token = self._take()
        return self._number(replace(token, value=-token.value, text=f"-{token.text}", at=sign.at))

    def _number(self, token: Token) -> Node:
        if token.kind == "int" and not LOWEST_INTEGER <= token.value <= HIGHEST_INTEGER:
            raise ExpressionMistake(self._text, token.at, f"{token.text} does not fit in 64 bits.")
        return self._count(Constant(token.value, token.text, token.at))

    def _members(self, found: Node) -> Node:
        steps = 0
        while self._is(".", "["):
            steps += 1
            if steps > self._bounds.nesting:
                self._refuse(self._now, f"at most {self._bounds.nesting} steps")
            token = self._take()
            self._refuse_optional()
            if token.text == "[":
                index = self.expression()
                self.expect("mark", "]", "']'")
                found = self._count(Index(found, index, token.at))
                continue
            name = self.expect("name", "", "the name of a field or a method")
            if self._accept("("):
                found = self._method(found, name, self._arguments(")"))
            else:
                found = self._count(Select(found, name.text, name.at))
                found = _WELL_KNOWN.get(_dotted(found), found)
        known = isinstance(found, Constant) and isinstance(found.value, Type)
        if self._is("{") and (known or isinstance(found, (Name, Select))):
            raise ExpressionMistake(self._text, self._now.at, "There are no messages here. Write a map.")
        return found

    def _refuse_optional(self) -> None:
        if self._is("?"):
            what = "There are no optional values here. Ask with has, or compare with null."
            raise ExpressionMistake(self._text, self._now.at, what)

    def _arguments(self, closing: str) -> tuple[Node, ...]:
        found: list[Node] = []
        while not self._accept(closing):
            if found:
                self.expect("mark", ",", f"',' or {closing!r}")
                if closing == "]" and self._accept(closing):
                    break
            if closing == "]":
                self._refuse_optional()
            found.append(self.expression())
        return tuple(found)

    def _method(self, operand: Node, name: Token, given: tuple[Node, ...]) -> Node:
        if name.text in _MACROS and given and (len(given) == 2 or (name.text == "map" and len(given) == 3)):
            variable = given[0]
            if not isinstance(variable, Name):
                raise ExpressionMistake(self._text, variable.at, f"{name.text} begins with a name for items.")
            macro = cast(Macro, name.text)
            condition, result = (None, given[1]) if macro == "map" else (given[1], None)
            if len(given) == 3:
                condition, result = given[1], given[2]
            return self._count(Each(macro, operand, variable.name, condition, result, name.at))
        return self._count(Call(name.text, (operand, *given), name.at, method=True))

    def _primary(self) -> Node:
        token = self._now
        if token.kind in ("int", "double"):
            return self._number(self._take())
        if token.kind == "string":
            self._take()
            return self._count(Constant(token.value, token.text, token.at))
        if token.kind == "name":
            return self._named(self._take())
        if self._accept("("):
            found = self.expression()
            self.expect("mark", ")", "')'")
            return found
        if self._accept("["):
            return self._count(Items(self._arguments("]"), token.at))
        if self._accept("{"):
            return self._count(Entries(self._entries(), token.at))
        return self._refuse(token, "a value")

    def _entries(self) -> tuple[tuple[Node, Node], ...]:
        found: list[tuple[Node, Node]] = []
        while not self._accept("}"):
            if found:
                self.expect("mark", ",", "',' or '}'")
                if self._accept("}"):
                    break
            self._refuse_optional()
            key = self.expression()
            self.expect("mark", ":", "':' and the value for this key")
            found.append((key, self.expression()))
        return tuple(found)

    def _named(self, token: Token) -> Node:
        name = token.text
        if name in _WORDS:
            return self._count(Constant(_WORDS[name], name, token.at))
        if name in _RESERVED or name == "in":
            raise ExpressionMistake(self._text, token.at, f"{name!r} is a reserved word. Use another name.")
        if self._is("{"):
            raise ExpressionMistake(self._text, self._now.at, "There are no messages here. Write a map.")
        if not self._accept("("):
            return self._count(Name(name, token.at))
        given = self._arguments(")")
        if name == "has":
            if len(given) != 1 or not isinstance(given[0], Select):
                raise ExpressionMistake(self._text, token.at, "has takes one field: has(record.note).")
            return replace(given[0], asks=True)
        return self._count(Call(name, given, token.at))
