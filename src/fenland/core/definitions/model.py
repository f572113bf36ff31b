"""Definitions: the frozen values everything else is built from.

`reading.py` makes them from plain data and refuses what is wrong; whoever holds one of these may
rely on it being whole and consistent. Nothing here validates, and nothing here changes after load.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal

from fenland.core.definitions.own import Call
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.tree import Step, paths_in, roots_in
from fenland.core.values.plain import MISSING

Type = Literal["string", "integer", "number", "boolean", "array", "object"]
Blank = Literal["store", "keep", "clear", "reject"]
OnDelete = Literal["restrict", "clear", "cascade"]
#: What rules of access grant, of records and of their fields. `pass` is to hand out passes for a record,
#: `review` to apply or refuse what came in through one.
Right = Literal["read", "create", "update", "delete", "transfer", "erase", "pass", "review"]
FieldRight = Literal["read", "create", "update"]

RIGHTS: tuple[Right, ...] = ("read", "create", "update", "delete", "transfer", "erase", "pass", "review")
FIELD_RIGHTS: tuple[FieldRight, ...] = ("read", "create", "update")

#: Words an access list may hold besides role names.
OWNER = "owner"
EVERYONE = "everyone"


@dataclass(frozen=True, slots=True)
class Rule:
    """Who may do something: who is on the list, where there is one, and where the condition holds.

    `grants` holds names of roles, `owner` and `everyone`; None where the rule is a condition alone.
    """

    grants: frozenset[str] | None = None
    condition: Checked | None = None
    #: Where it stands, for people.
    file: str = ""
    line: int = 0

    @property
    def next_fields(self) -> frozenset[str]:
        """The fields that it asks of the record as it would be."""
        paths = () if self.condition is None else paths_in(self.condition.tree)
        return frozenset(path.steps[0].name for path in paths if path.root == "next")

    def __str__(self) -> str:
        listed = [] if self.grants is None else [" or ".join(sorted(self.grants)) or "nobody"]
        return " and ".join([*listed, *([] if self.condition is None else [self.condition.text])])


@dataclass(frozen=True, slots=True)
class Check:
    """What must hold of a record for it to be saved; `fields` are to blame where it does not."""

    rule: Checked
    message: str
    code: str = "check"
    fields: tuple[str, ...] = ()
    #: The function that says so in the rule's place.
    call: Call | None = None

    @property
    def asked(self) -> frozenset[str]:
        """The fields of the record that it asks for."""
        return frozenset(path.steps[0].name for path in paths_in(self.rule.tree) if path.steps)

    @property
    def compares(self) -> bool:
        """Whether it asks what the record was before, so that it says nothing of a new one."""
        return "before" in roots_in(self.rule.tree)


@dataclass(frozen=True, slots=True)
class Search:
    """The records that a rule finds, each of which its expressions call `each`.

    Of a collection, those where the condition holds, or one of those at random; or the one that references
    lead to: `root` is `before` or `after`, and `steps` are those.
    """

    collection: str
    condition: Checked | None = None
    at_random: bool = False
    root: str = ""
    steps: tuple[Step, ...] = ()

    def __str__(self) -> str:
        if self.root:
            return ".".join((self.root, *(one.name for one in self.steps)))
        found = f"{'one' if self.at_random else 'each'} of {self.collection}"
        return found if self.condition is None else f"{found} where {self.condition.text}"


@dataclass(frozen=True, slots=True)
class Formula:
    """An expression that gives a field its value: a derived one always, and others when something happens.

    With a function to call, the expression gives the list of its arguments; with records to choose from, it
    is over `each`, which is one of them at random.
    """

    rule: Checked
    #: Where it stands, for people.
    file: str = ""
    line: int = 0
    call: Call | None = None
    search: Search | None = None

    @property
    def at_hand(self) -> bool:
        """Whether it can be worked out here."""
        return self.call is None or self.call.function is not None

    @property
    def inputs(self) -> tuple[str, ...]:
        """The fields of its own record that it asks for, each once."""
        paths = (path for rule in self.rules for path in paths_in(rule.tree))
        return tuple(dict.fromkeys(one.steps[0].name for one in paths if one.steps and one.root != "each"))

    @property
    def rules(self) -> tuple[Checked, ...]:
        """Its expressions: mostly one."""
        condition = None if self.search is None else self.search.condition
        return (self.rule,) if condition is None else (self.rule, condition)

    def __str__(self) -> str:
        if self.search is not None:
            return f"{self.rule.text} of {self.search}"
        return self.rule.text if self.call is None else f"{self.call.name}({self.rule.text[1:-1]})"


Gather = Literal["count", "sum", "mean", "min", "max"]
GATHERS: tuple[Gather, ...] = ("count", "sum", "mean", "min", "max")


@dataclass(frozen=True, slots=True)
class Aggregate:
    """What gives a derived field its value from the records of a collection that refer to its record.

    `value` is an expression over `each` of them, None for a count; `condition` says which of them count.
    """

    kind: Gather
    collection: str
    #: The field by which they refer.
    reference: str
    value: Checked | None = None
    condition: Checked | None = None
    #: Where it stands, for people.
    file: str = ""
    line: int = 0

    @property
    def at_hand(self) -> bool:
        """Whether it can be worked out here: always."""
        return True

    @property
    def rules(self) -> tuple[Checked, ...]:
        """Its expressions."""
        return tuple(one for one in (self.value, self.condition) if one is not None)

    @property
    def inputs(self) -> tuple[str, ...]:
        """The fields of its own record that it asks for: none."""
        return ()

    def __str__(self) -> str:
        of = f"{self.collection}.{self.reference}"
        what = f"count of {of}" if self.value is None else f"{self.kind} of {self.value.text} of {of}"
        return what if self.condition is None else f"{what} if {self.condition.text}"


#: Numbers above this are somebody's own affair: a series that went on from them would soon end.
HIGHEST_OF_SERIES = 10**15


@dataclass(frozen=True, slots=True)
class Series:
    """Numbers that new records get one after the other, such as T-0001, T-0002."""

    first: int
    #: What stands before the number in a text, and its digits at least; None for a field of whole numbers.
    prefix: str | None = None
    width: int = 0
    #: Whether numbers may be left out, which saves what it takes to leave none.
    gaps: bool = False

    def value(self, number: int) -> Any:
        """The value of a number of the series."""
        return number if self.prefix is None else f"{self.prefix}{number:0{self.width}d}"

    def number(self, value: Any) -> int | None:
        """The number of a value; None for one that is none of the series, or too high to go on from."""
        if self.prefix is None:
            return value if isinstance(value, int) and value <= HIGHEST_OF_SERIES else None
        digits = value[len(self.prefix) :] if isinstance(value, str) and value.startswith(self.prefix) else ""
        if not (digits.isascii() and digits.isdigit() and len(digits) <= 18):
            return None
        number = int(digits)
        return number if number <= HIGHEST_OF_SERIES and self.value(number) == value else None


@dataclass(frozen=True, slots=True)
class Field:
    """One field, or one property or item inside a field. Names follow JSON Schema 2020-12."""

    name: str
    type: Type = "string"
    title: str = ""
    description: str = ""
    format: str | None = None
    #: By keyword; `constraints.py` says what each means.
    constraints: Mapping[str, Any] = field(default_factory=dict)
    items: Field | None = None
    properties: Mapping[str, Field] | None = None
    required: bool = False
    nullable: bool = True
    default: Any = MISSING
    examples: tuple[Any, ...] = ()
    read_only: bool = False
    write_only: bool = False
    unique: bool = False
    fixed: bool = False
    references: str | None = None
    on_delete: OnDelete = "restrict"
    search: bool = False
    indexed: bool = False
    blank: Blank = "store"
    sensitive: bool = False
    derived: Formula | Aggregate | None = None
    #: What gives a new record its value, where nobody else does.
    initial: Formula | None = None
    series: Series | None = None
    #: What the field was called before, and what gives its value in records that were there before it.
    was: str | None = None
    fill: Checked | None = None
    #: What becomes of values that were there before: by their text, or by an expression over the record.
    values: Mapping[str, Any] | Checked | None = None
    #: Who may read it and set it, beyond who may do so with the record.
    access: Mapping[FieldRight, Rule] = field(default_factory=dict)

    @property
    def label(self) -> str:
        """What people read: the title, or the name in words."""
        return self.title or self.name.replace("_", " ").capitalize()

    @property
    def begins(self) -> bool:
        """Whether the service works out what new records hold in it, where nobody gives them anything."""
        return self.initial is not None or self.series is not None

    @property
    def enum(self) -> tuple[Any, ...] | None:
        """The values allowed, where they are listed."""
        return self.constraints.get("enum")

    @property
    def max_length(self) -> int | None:
        """How many characters a text may have, where that is bounded."""
        return self.constraints.get("maxLength")

    @property
    def filled(self) -> bool:
        """Whether every record holds a value in it."""
        return self.required and not self.nullable

    @property
    def scale(self) -> int | None:
        """Digits after the point for an exact decimal; None for every other type.

        A number is an exact decimal when its `multipleOf` has a fraction that ends.
        """
        step: Decimal | None = self.constraints.get("multipleOf")
        if self.type != "number" or step is None:
            return None
        exponent = step.normalize().as_tuple().exponent
        return -exponent if isinstance(exponent, int) and exponent < 0 else None


#: What may happen to a record, for effects to come of it.
Trigger = Literal["create", "update", "restore", "delete"]
TRIGGERS: tuple[Trigger, ...] = ("create", "update", "restore", "delete")
#: What an effect does, to records of whichever collection; with `call`, whatever a function says.
Does = Literal["set", "change", "create", "delete", "call", "notice", "pass"]


@dataclass(frozen=True, slots=True)
class Effect:
    """What a change brings with it, where a condition holds: in the same record, or in others.

    It sets fields of the record (`set`), changes or deletes the records that it finds, or creates records of
    `target`, one for each that it finds; or it leaves a notice, of which `sets` are what it says, or makes a
    pass for the record.
    """

    on: frozenset[Trigger]
    sets: Mapping[str, Formula]
    condition: Checked | None = None
    does: Does = "set"
    #: The collection of the records that it writes.
    target: str = ""
    search: Search | None = None
    #: Where it stands, for people.
    file: str = ""
    line: int = 0
    #: The function that says what is set, or done.
    call: Call | None = None
    #: What the notice is called that it leaves; the template of the pass that it makes.
    notice: str = ""
    template: str = ""

    @property
    def rules(self) -> tuple[Checked, ...]:
        """All its expressions."""
        found = [formula.rule for formula in self.sets.values()]
        conditions = (self.condition, None if self.search is None else self.search.condition)
        return (*found, *(one for one in conditions if one is not None))

    def __str__(self) -> str:
        return f"{self.file}:{self.line}"


@dataclass(frozen=True, slots=True)
class Applying:
    """When what came in through a pass is applied: at once, at once where a condition holds, or by review."""

    at_once: bool = False
    condition: Checked | None = None

    @property
    def words(self) -> str:
        """As definitions say it."""
        return self.condition.text if self.condition is not None else "at once" if self.at_once else "review"


#: Waits until somebody has reviewed it.
BY_REVIEW = Applying()


@dataclass(frozen=True, slots=True)
class PassCreation:
    """A record that who holds a pass may have created: some fields are theirs to fill, others are given.

    `given` are expressions over `record`, the one that the pass is for.
    """

    collection: str
    fields: tuple[str, ...]
    given: Mapping[str, Formula]
    applying: Applying = BY_REVIEW
    title: str = ""


@dataclass(frozen=True, slots=True)
class PassTemplate:
    """What those may do who hold a pass made of it: see and propose to change stated fields of one record.

    One that `lists` is for no record: its holders see all records where the condition holds, and each of
    them has its own page.
    """

    name: str
    title: str
    shows: tuple[str, ...]
    changes: Mapping[str, Applying]
    #: Of references among the changes, which records may be chosen: a condition over `each` of them.
    choices: Mapping[str, Checked]
    introduction: str = ""
    thanks: str = ""
    #: Which records it can be for, over `record`.
    where: Checked | None = None
    creation: PassCreation | None = None
    #: Whether holders may say that all is right, and ask for the record to be deleted.
    confirms: bool = False
    deletes: bool = False
    lists: bool = False
    sort: tuple[str, ...] = ()
    #: For how many days a pass is good, and how often something may be sent by it; 0 is any number of times.
    days: int = 90
    uses: int = 0
    #: What its holder must know: a field of the record, and a property of it, or nothing.
    answer: tuple[str, ...] = ()
    #: Whether its holder is told why something was refused.
    tells_reasons: bool = False
    #: Where it stands, for people.
    file: str = ""
    line: int = 0

    @property
    def rules(self) -> tuple[Checked, ...]:
        """All its expressions."""
        applying = [one.condition for one in self.changes.values()]
        if self.creation is not None:
            applying.append(self.creation.applying.condition)
        given = () if self.creation is None else (one.rule for one in self.creation.given.values())
        found = [*applying, self.where, *self.choices.values(), *given]
        return tuple(one for one in found if one is not None)

    @property
    def acts(self) -> bool:
        """Whether who holds a pass may send anything."""
        return bool(self.changes or self.creation or self.confirms or self.deletes)


#: Fields that lists show where no definition says which, and characters that they have room for.
_LISTED, _SHORT = 7, 150


@dataclass(frozen=True)
class Collection:
    """A record type and its table."""

    name: str
    title: str
    fields: Mapping[str, Field]
    description: str = ""
    #: What one record is called, "Work ticket"; and the collection's place among the others.
    singular: str = ""
    order: int = 0
    key: str = "id"
    owner: str | None = None
    #: The field whose value names a record to people, and those that lists show first, where they are said.
    label: str | None = None
    columns: tuple[str, ...] = ()
    access: Mapping[Right, Rule] = field(default_factory=dict)
    checks: tuple[Check, ...] = ()
    effects: tuple[Effect, ...] = ()
    #: By name, what passes for its records can be made of.
    passes: Mapping[str, PassTemplate] = field(default_factory=dict)
    #: Whether its records say how lists are shown.
    views: bool = False
    revalidate: Literal["touched", "whole"] = "touched"
    if_match: Literal["optional", "required"] = "optional"
    #: Whether changes must say why they are made.
    reason: Literal["optional", "required"] = "optional"
    #: What the collection was called before.
    was: str | None = None

    @property
    def searched(self) -> tuple[str, ...]:
        """Fields that `q` looks in."""
        return tuple(name for name, item in self.fields.items() if item.search)

    @property
    def indexed(self) -> tuple[str, ...]:
        """Fields that lists are sorted by quickly, whatever their size."""
        return tuple(name for name, item in self.fields.items() if has_index(item, self))

    @cached_property
    def unkept(self) -> frozenset[str]:
        """Fields that are never shown, and whose values no history keeps."""
        return frozenset(name for name, item in self.fields.items() if item.write_only)

    @cached_property
    def secret(self) -> frozenset[str]:
        """Fields whose values stand under seals in the history."""
        return self.unkept | {name for name, item in self.fields.items() if item.sensitive}

    @property
    def naming(self) -> str:
        """The field whose value names a record to people.

        Where the definition names none, the first searched one that is not the key, nor long.
        """
        short = [name for name in self.searched if name != self.key and not _is_long(self.fields[name])]
        return self.label or (short[0] if short else self.key)

    @property
    def listed(self) -> tuple[str, ...]:
        """The fields that lists show first: as defined, or its key, what names it and plain ones."""
        plain = [
            name
            for name, item in self.fields.items()
            if item.type not in ("array", "object") and not item.write_only and not _is_long(item)
        ]
        return self.columns or tuple(dict.fromkeys([self.key, self.naming, *plain]))[:_LISTED]


def _is_long(item: Field) -> bool:
    return (item.max_length or 0) > _SHORT


def place_of(collection: Collection, item: Field) -> str:
    """How a field is called among those of all collections."""
    return f"{collection.name}.{item.name}"


def stored_form(item: Field) -> str:
    """As what a field's values are kept, in words that end "holds …"."""
    if item.scale is not None:
        return f"decimals with {item.scale} digits after the point"
    by_type = {
        "string": {"date": "dates", "date-time": "moments", "uuid": "UUIDs"}.get(item.format or "", "texts"),
        "integer": "whole numbers",
        "number": "doubles",
        "boolean": "true or false",
        "array": "lists",
        "object": "objects",
    }
    return by_type[item.type]


def has_index(item: Field, collection: Collection) -> bool:
    """Whether an index gives the records in this field's order."""
    return (
        item.unique
        or item.indexed
        or item.references is not None
        or item.name == collection.owner
        or item.format in ("date", "date-time")
    )


@dataclass(frozen=True, slots=True)
class Definitions:
    """Every collection of a project, and the roles its access lists may name."""

    collections: Mapping[str, Collection]
    roles: tuple[str, ...] = ()
    #: What they were read from, as plain data: `collections` by name, and `roles`.
    data: Mapping[str, Any] = field(default_factory=dict)
    _referring: Mapping[str, tuple[tuple[Collection, Field], ...]] = field(
        init=False, repr=False, compare=False
    )

    def __post_init__(self) -> None:
        found: dict[str, tuple[tuple[Collection, Field], ...]] = {}
        for collection in self.collections.values():
            for item in collection.fields.values():
                if item.references is not None:
                    found[item.references] = (*found.get(item.references, ()), (collection, item))
        object.__setattr__(self, "_referring", found)

    def referring_to(self, name: str) -> tuple[tuple[Collection, Field], ...]:
        """The reference fields, anywhere, that hold keys of this collection."""
        return self._referring.get(name, ())


@dataclass(frozen=True, slots=True)
class Mistake:
    """Something wrong in a definition: where (file, line), what, and what to do about it."""

    file: str
    line: int
    pointer: str
    what: str
    hint: str
    #: Of an expression, where in the line it goes wrong, and that line with a caret under the place.
    column: int | None = None
    caret: str = ""

    @property
    def place(self) -> str:
        """File and line, and the column where it is known."""
        return f"{self.file}:{self.line}" + (f":{self.column}" if self.column else "")

    def __str__(self) -> str:
        return f"{self.place}: {self.what} {self.hint}".rstrip()

    def as_json(self) -> dict[str, Any]:
        """For scripts: the same parts by name."""
        return {
            "file": self.file,
            "line": self.line,
            "column": self.column,
            "pointer": self.pointer,
            "what": self.what,
            "hint": self.hint,
        }


class DefinitionMistakes(Exception):
    """Raised with every mistake of every file at once, in file and line order."""

    def __init__(self, mistakes: list[Mistake]) -> None:
        self.mistakes = tuple(sorted(mistakes, key=lambda one: (one.file, one.line, one.pointer)))
        super().__init__("\n".join(map(str, self.mistakes)))
