"""A route is one row: its method, path and view, what it takes and what it answers with.

Flask's rules, the reading of requests, the refusal of what is not known, and the OpenAPI document are all
made of these rows. `routes.py` names them all; `describing/operations.py` makes the document of them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from flask import Request, Response

from fenland.core.problems import Malformed
from fenland.web.http.answers import Answer
from fenland.web.http.calls import Call, Common
from fenland.web.http.noting import note, status_of
from fenland.web.http.parameters import IF_MATCH, IF_NONE_MATCH, Parameter, Query
from fenland.web.http.replies import Body, Reply

#: A record by its key, and by another unique field: a path, since that may hold a slash.
RECORDS = "/v1/records/{collection}"
ONE = f"{RECORDS}/{{key}}"
BY_FIELD = f"{RECORDS}/by/{{field}}/{{value}}"
EXPORTS = "/v1/exports/{collection}"

#: Places in paths that are read otherwise than as one segment of text.
_CONVERTERS = {"sequence": "int:", "number": "int:", "value": "path:"}
#: Those that hold a number and nothing else.
NUMBERS = frozenset(place for place, kind in _CONVERTERS.items() if kind == "int:")

View = Callable[[Call], Answer]


@dataclass(frozen=True, slots=True)
class Route:
    """One row."""

    method: str
    path: str
    #: Its operationId, before the name of the record type.
    operation: str
    summary: str
    view: View
    takes: tuple[Parameter[Any], ...] = ()
    answers: Mapping[int, Reply] = field(default_factory=dict)
    #: The codes of the problems that not every such route answers with.
    problems: tuple[str, ...] = ()
    body: Body | None = None
    description: str = ""
    #: Whether who asks must be signed in; `maybe` leaves it to the view.
    signed_in: Literal["yes", "maybe", "no"] = "yes"
    #: Whether fields of the records are parameters as well, each with the values it is to have.
    filtered: bool = False
    #: Whether the view itself says when what is wrong with the request is raised; else it is at once.
    late: bool = False
    #: Whether the request inspector notes what is asked here.
    noted: bool = True
    #: What is made of `takes`: what the query may hold, and whether the request may say which version of
    #: a record it is about.
    query: Query = field(init=False)
    guarded: bool = field(init=False)

    def __post_init__(self) -> None:
        known = {one.name: one for one in self.takes if not one.source}
        required = tuple(one for one in known.values() if one.required)
        object.__setattr__(self, "query", Query(known, required, self.filtered))
        # Reading may well ignore what is only about one record; a change that ignored it would be wrong.
        guarded = self.method == "GET" or IF_MATCH in self.takes
        object.__setattr__(self, "guarded", guarded)

    @property
    def rule(self) -> str:
        """The path as Flask writes it."""
        return re.sub(r"\{(\w+)\}", lambda place: f"<{_CONVERTERS.get(place[1], '')}{place[1]}>", self.path)

    def answer(self, common: Common, request: Request, place: Mapping[str, Any]) -> Answer:
        """Answers a request, and notes it where whoever asks would have that."""
        call = Call(common, request, place)
        try:
            answer = self._answered(call)
        except Exception as error:
            if call.inspection is not None and self.noted:
                note(call, self, status_of(error), None, error)
            raise
        if call.inspection is not None and self.noted:
            note(call, self, *_size_of(answer), None)
        return answer

    def _answered(self, call: Call) -> Answer:
        """Answers it: who asks, then the query by this row, then the view."""
        if self.signed_in == "yes":
            call.sign_in()
        call.read_query(self.query)
        if not self.guarded:
            call.read(lambda: _refuse_guards(call.request), None)
        if not self.late:
            call.check()
        return self.view(call)


def _size_of(answer: Answer | Response) -> tuple[int, int | None]:
    """The status, and how many bytes there are, where that is known."""
    if isinstance(answer, Answer):
        return answer.status, len(answer.body or b"")
    return answer.status_code, None


def _refuse_guards(request: Request) -> None:
    for guard in (IF_MATCH, IF_NONE_MATCH):
        if guard.source in request.environ:
            raise Malformed(f"{guard.name} is about one record, and this is not. Leave it out.")
