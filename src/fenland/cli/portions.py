"""Files to be imported, cut into portions: each is sent by itself, so that a broken-off import goes on."""

from __future__ import annotations

import hashlib
import json
import re
import uuid
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from fenland.cli.terminal import Exit, fail
from fenland.core.changes.tabular import REASON, ROW, Form, csv_lines, csv_rows, guarded
from fenland.core.problems import Malformed

#: Rows in one portion; the service takes no more at a time with an idempotency key.
PORTION = 1_000

_ENDINGS: Mapping[str, Form] = {".csv": "csv", ".jsonl": "jsonl", ".ndjson": "jsonl", ".xlsx": "xlsx"}


@dataclass(frozen=True, slots=True)
class Portion:
    """Some rows of a file: their numbers there, the header being row 1, and how they are sent."""

    numbers: Sequence[int]
    rows: Sequence[Any]
    content: bytes
    form: Form
    #: Bytes of the file that it ends at; 0 where that is not known.
    position: int = 0


def form_of(path: Path) -> Form:
    """What a file is, by its ending; or ends the command."""
    form = _ENDINGS.get(path.suffix.lower())
    if form is None:
        fail(
            f"{path} is of no kind that is known. Use a file that ends in {', '.join(_ENDINGS)}.", Exit.USAGE
        )
    return form


def portions_of(path: Path, size: int = PORTION) -> Iterator[Portion]:
    """The portions of a file; what is wrong with the file as a whole ends the command."""
    try:
        if form_of(path) == "jsonl":
            yield from _lines(path, size)
        else:
            yield from _rows(path, size)
    except Malformed as error:
        fail(f"{path}: {error.detail}", Exit.INVALID)
    except (OSError, UnicodeError) as error:
        fail(f"{path} cannot be read: {error}.", Exit.USAGE)


def _lines(path: Path, size: int) -> Iterator[Portion]:
    numbers: list[int] = []
    lines: list[bytes] = []
    position = 0
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            position += len(line)
            if line.strip():
                numbers.append(number)
                lines.append(line.rstrip(b"\r\n"))
            if len(lines) == size:
                yield Portion(
                    numbers, lines, b"\n".join(lines), "jsonl", file.tell() if file.seekable() else 0
                )
                numbers, lines = [], []
    if lines:
        yield Portion(numbers, lines, b"\n".join(lines), "jsonl")


def _rows(path: Path, size: int) -> Iterator[Portion]:
    """Portions under the file's header each: of a spreadsheet, too, as CSV."""
    position = 0

    def texts(file: Any) -> Iterator[str]:
        nonlocal position
        for line in file:
            position += len(line)
            yield line

    if form_of(path) == "csv":
        with path.open(encoding="utf-8-sig", newline="") as file:
            for portion in _cut(csv_rows(texts(file)), size):
                yield Portion(portion[0], portion[1], portion[2], "csv", position)
    else:
        from fenland.service.files.spreadsheets import read_sheet

        sheet = ([guarded(cell) for cell in row] for row in read_sheet(path))
        for numbers, rows, content in _cut(sheet, size):
            yield Portion(numbers, rows, content, "csv")


def _cut(table: Iterator[list[str]], size: int) -> Iterator[tuple[list[int], list[list[str]], bytes]]:
    header = next(table, [])
    numbers: list[int] = []
    rows: list[list[str]] = []
    for number, row in enumerate(table, 2):
        if any(row):
            numbers.append(number)
            rows.append(row)
        if len(rows) == size:
            yield numbers, rows, csv_lines([header, *rows]).encode()
            numbers, rows = [], []
    if rows or header == []:
        # A file without a header is sent as it is: the service says what is wrong with it.
        yield numbers, rows, csv_lines([header, *rows]).encode()


def header_of(path: Path) -> list[str]:
    """The names of a table's columns, without those that a file of refused rows has beside them."""
    if form_of(path) == "csv":
        with path.open(encoding="utf-8-sig", newline="") as file:
            return next(csv_rows(file), [])
    from fenland.service.files.spreadsheets import read_sheet

    return next(read_sheet(path), [])


# --- rows that were refused --------------------------------------------------------------------------


class RefusedFile:
    """A file of refused rows with their reasons, to be corrected and sent again."""

    def __init__(self, path: Path) -> None:
        self._jsonl = form_of(path) == "jsonl"
        self._source = path
        ending = ".jsonl" if self._jsonl else ".csv"
        # Of a file of refused rows, what is refused again is told by number.
        stem = re.sub(r"\.refused(-[0-9]+)?$", "", path.stem)
        names = (f"{stem}.refused{f'-{count}' if count > 1 else ''}{ending}" for count in range(1, 1000))
        self.path = next(one for one in map(path.with_name, names) if not one.exists())
        self._begun = False
        self._columns: list[str] = []

    def add(self, portion: Portion, problems: Sequence[Mapping[str, Any]]) -> None:
        """Adds the rows of a portion that were refused."""
        told = {_place(portion, one["row"]): one["detail"] for one in problems}
        with self.path.open("a", encoding="utf-8", newline="") as file:
            for place, detail in sorted(told.items()):
                file.write(self._row(portion, place, detail))

    def _row(self, portion: Portion, place: int, detail: str) -> str:
        number = portion.numbers[place]
        if self._jsonl:
            line: str = portion.rows[place].decode("utf-8", "replace")
            try:
                value = json.loads(line)
            except ValueError:
                value = None
            if not isinstance(value, dict):
                return line + "\n"
            # As it was, digit by digit, with two members before the last brace.
            kept = line.rstrip()[:-1].rstrip()
            added = json.dumps({ROW: number, REASON: detail}, ensure_ascii=False)[1:]
            return f"{kept}{',' if value else ''} {added}\n"
        head = ""
        columns = self._columns = self._columns or header_of(self._source)
        old = [columns.index(one) for one in (ROW, REASON) if one in columns]
        row = [cell for cell_place, cell in enumerate(portion.rows[place]) if cell_place not in old]
        names = [one for one in columns if one not in (ROW, REASON)]
        if not self._begun:
            self._begun = self.path.stat().st_size > 0
        if not self._begun:
            self._begun = True
            head = csv_lines([[ROW, *names, REASON]])
        return head + csv_lines([[str(number), *(row + [""] * len(names))[: len(names)], detail]])


def _place(portion: Portion, row: int) -> int:
    """The place in a portion of a row, by its number there: under a header the first is row 2."""
    return row - (1 if portion.form == "jsonl" else 2)


# --- going on ----------------------------------------------------------------------------------------


@dataclass(slots=True)
class Progress:
    """How far an import is, kept beside its file: what was answered is not sent again."""

    id: str
    #: What tells that it is the same file, and the same import.
    fingerprint: str
    portions: int = 0
    rows: int = 0
    created: int = 0
    updated: int = 0
    unchanged: int = 0
    refused: int = 0
    #: What all entries of the import share.
    batch: str | None = None

    def take(self, answer: Mapping[str, Any]) -> None:
        """Takes note of a portion's answer."""
        self.portions += 1
        self.batch = answer.get("batch") or self.batch
        for name in ("rows", "created", "updated", "unchanged", "refused"):
            setattr(self, name, getattr(self, name) + answer[name])


def progress_file(path: Path) -> Path:
    """Where the progress of importing a file is kept."""
    return path.with_name(path.name + ".progress")


def begin(path: Path, asked: Mapping[str, Any], *, resume: bool) -> Progress:
    """The progress of an import: a new one, or that of one that was broken off."""
    facts = path.stat()
    told = json.dumps([path.name, facts.st_size, facts.st_mtime_ns, asked], sort_keys=True, default=str)
    fingerprint = hashlib.sha256(told.encode()).hexdigest()
    kept = progress_file(path)
    if not kept.exists():
        if resume:
            fail(f"There is no broken-off import of {path}. Leave --resume out.", Exit.USAGE)
        return Progress(uuid.uuid4().hex, fingerprint)
    try:
        found = Progress(**json.loads(kept.read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError):
        fail(f"{kept} cannot be read. Remove it to begin anew.")
    if not resume:
        fail(
            f"An import of {path} was broken off after {found.rows} rows. Go on with --resume, or remove "
            f"{kept.name} to begin anew.",
            Exit.CONFLICT,
        )
    if found.fingerprint != fingerprint:
        fail(
            "The file, or how it is to be imported, is not as it was when it was broken off. Put it back, "
            f"or remove {kept.name} to begin anew.",
            Exit.CONFLICT,
        )
    return found


def keep(path: Path, progress: Progress) -> None:
    """Keeps how far it is; whole, or as it was before."""
    part = progress_file(path).with_suffix(".progress-part")
    part.write_text(json.dumps(asdict(progress)), encoding="utf-8")
    part.replace(progress_file(path))
