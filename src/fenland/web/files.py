"""Routes of files: a list as CSV, JSON Lines or a spreadsheet, and rows of such a file brought in."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from fenland.core.changes.tabular import Row, read_csv, read_jsonl, text_rows
from fenland.core.limits import Limits
from fenland.core.problems import UnsupportedMedia
from fenland.service.files.importing import import_rows
from fenland.service.files.rows import Imported, ImportRequest
from fenland.service.files.spreadsheets import read_sheet
from fenland.web.describing.contents import one_body
from fenland.web.exporting import form_accepted, list_file
from fenland.web.http import parameters as p
from fenland.web.http.answers import REPEATED, Answer, json_answer
from fenland.web.http.body import ANY_FILE, MEDIA, file_of
from fenland.web.http.calls import Call
from fenland.web.http.replies import Reply
from fenland.web.http.route import EXPORTS, RECORDS, Route
from fenland.web.http.schemas import FILE
from fenland.web.records import asked_list


def _export(call: Call) -> Answer:
    form = call.get(p.AS) or form_accepted(call.request) or "csv"
    return list_file(call, asked_list(call), form)


# --- bringing in -------------------------------------------------------------------------------------


def _rows_of(call: Call) -> Iterator[Row]:
    request, limits = call.request, call.limits
    form = MEDIA.get(request.mimetype)
    if request.mimetype == ANY_FILE:
        form = call.get(p.AS) or "csv"
    if form is None:
        raise UnsupportedMedia(f"The file is of type {request.mimetype!r}. Send one of {', '.join(MEDIA)}.")
    body = file_of(request, limits)
    if form == "jsonl":
        return read_jsonl(body, limits)
    return read_csv(body) if form == "csv" else text_rows(read_sheet(body, limits.unpacked))


def imported_json(found: Imported) -> dict[str, Any]:
    """What became of the rows, as answers show it."""
    names = {name: column for column, name in found.columns.items() if name is not None}
    problems = [
        {
            "row": one.row,
            "detail": one.detail,
            "cells": one.cells,
            "errors": [
                {**problem.as_json(), "column": names.get(problem.pointer[1:].partition("/")[0])}
                for problem in one.problems
            ],
        }
        for one in found.refused
    ]
    return {
        "done": found.done and not found.refused_count,
        "batch": found.batch if found.done else None,
        "rows": found.rows,
        "created": found.created,
        "updated": found.updated,
        "unchanged": found.unchanged,
        "refused": found.refused_count,
        "columns": [{"column": column, "field": name} for column, name in found.columns.items()],
        "unmatched": found.unmatched,
        "changes": found.shown,
        "problems": problems,
        "repeats": [{"row": one.row, "earlier": one.earlier} for one in found.repeats],
        "repeated": found.repeats_count,
    }


def body_limits(limits: Limits) -> Callable[[Mapping[str, Any]], int]:
    """How many bytes of a request's body are read, by its environ: more of a file than of all else."""

    def limit(environ: Mapping[str, Any]) -> int:
        within = environ["REQUEST_METHOD"] == "POST" and environ["PATH_INFO"].endswith("/import")
        return limits.file if within else limits.body

    return limit


def _import(call: Call) -> Answer:
    call.service.resource(call.collection)
    call.check()
    asked = ImportRequest(
        call.collection,
        _rows_of(call),
        mode=call.get(p.MODE),
        by=call.get(p.BY),
        match=call.get(p.MAP),
        blank=call.get(p.BLANK_CELLS),
        atomic=call.get(p.EACH),
        preview=call.get(p.PREVIEW),
        reason=call.get(p.REASON_WHY),
        once=call.once(file_of),
        batch=call.get(p.PORTION),
    )
    call.check()
    found = import_rows(call.service, call.caller, asked)
    call.counts = {
        "rows": found.rows,
        "created": found.created,
        "updated": found.updated,
        "unchanged": found.unchanged,
        "refused": found.refused_count,
    }
    # Kept or not as a whole: where each is on its own, what was refused is part of the answer.
    status = 422 if asked.atomic and not asked.preview and found.refused_count else 200
    return json_answer(imported_json(found), status, REPEATED if found.repeated else None)


ROUTES: tuple[Route, ...] = (
    Route(
        "POST", f"{RECORDS}/import", "import", "Bring in {many} from a file", _import,
        (p.MODE, p.BY, p.MAP, p.BLANK_CELLS, p.EACH, p.PREVIEW, p.PORTION, p.AS, p.REASON_WHY, p.ONCE,
         p.CLIENT),
        {200: Reply("What became of the rows; refused ones are told under problems.", "Imported"),
         422: Reply("All or nothing, and nothing was kept: rows were refused.", "Imported")},
        ("not-permitted", "unsupported-media"), one_body(FILE, ANY_FILE),
        "Columns are matched to fields by name or title; each row goes through the pipeline of one record.",
        late=True,
    ),
    Route(
        "GET", EXPORTS, "export", "Export {many}", _export,
        (p.AS, p.WHERE, p.Q, p.SORT, p.FIELDS, p.BLANK_FILTERS),
        {200: Reply("The file.", FILE, types=tuple(MEDIA))}, ("not-permitted",),
        description="The whole list as a file. A list can be asked for as one by Accept, too.", filtered=True,
    ),
)  # fmt: skip
