"""Spreadsheets (Office Open XML), read and written a row at a time; all that is in them are texts here."""

from __future__ import annotations

import io
import tempfile
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime, time
from pathlib import Path
from typing import IO, Any

from openpyxl import Workbook, load_workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.utils.exceptions import InvalidFileException

from fenland.core.limits import DEFAULTS, beyond
from fenland.core.problems import Malformed, Refusal
from fenland.core.values.identity import timestamp

_AT_A_TIME = 1 << 16
#: What reading raises where the file is something else, or damaged.
_UNREADABLE = (
    InvalidFileException,
    zipfile.BadZipFile,
    zlib.error,
    OSError,
    KeyError,
    ValueError,
    IndexError,
    SyntaxError,
)


def _check_parts(packed: zipfile.ZipFile, most: int) -> None:
    """Raises for a file that is too much once unpacked, or whose parts define entities or ask for others."""
    size = sum(one.file_size for one in packed.infolist())
    if size > most:
        # A small file can hold endless rows of nothing.
        raise beyond("import_unpacked_limit", most, f"The spreadsheet is {size} bytes once it is unpacked.")
    for one in packed.infolist():
        if not one.filename.lower().endswith((".xml", ".rels", ".vml")):
            continue
        with packed.open(one) as part:
            tail = b""
            while piece := part.read(_AT_A_TIME):
                # In UTF-16 a letter stands between two zeros.
                found = (tail + piece).replace(b"\0", b"")
                if b"<!DOCTYPE" in found or b"<!ENTITY" in found:
                    raise Malformed("The spreadsheet holds a document type, which none needs. Save it anew.")
                tail = piece[-32:]


def read_sheet(source: Path | bytes, most: int = DEFAULTS.unpacked) -> Iterator[list[str]]:
    """The rows of the first sheet, as texts. Raises `Malformed`, `TooLarge`."""
    file: Any = io.BytesIO(source) if isinstance(source, bytes) else source
    try:
        with zipfile.ZipFile(file) as packed:
            _check_parts(packed, most)
        book = load_workbook(file, read_only=True, data_only=True)
        sheet = book.worksheets[0]
        # Some programs write a wrong size into the sheet's head.
        sheet.reset_dimensions()
        for row in sheet.iter_rows(values_only=True):
            cells = [_text(one) for one in row]
            while cells and not cells[-1]:
                cells.pop()
            yield cells
    except Refusal:
        raise
    except _UNREADABLE as error:
        raise Malformed(f"The file is not a spreadsheet that can be read: {error}.") from None


def _text(cell: Any) -> str:
    """What a cell holds, as the text that its field would read."""
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, datetime):
        midnight = cell.time() == time()
        return cell.date().isoformat() if midnight else timestamp(cell.replace(tzinfo=UTC))
    return cell.isoformat() if isinstance(cell, (date, time)) else str(cell)


def write_sheet(rows: Iterable[Sequence[str]]) -> IO[bytes]:
    """Rows of texts as a spreadsheet, in a temporary file that is gone once it is closed."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet()
    for row in rows:
        sheet.append([_cell(sheet, text) for text in row])
    file = tempfile.TemporaryFile()  # noqa: SIM115 - its reader closes it
    book.save(file)
    file.seek(0)
    return file


def _cell(sheet: Any, text: str) -> Any:
    # A text that begins with = is a text: nothing in a record may become a formula.
    cell = WriteOnlyCell(sheet)
    cell.value = text
    cell.data_type = "s"
    return cell
