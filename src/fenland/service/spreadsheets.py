"""Spreadsheets (Office Open XML), read and written a row at a time; all that is in them are texts here."""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime, time
from pathlib import Path
from typing import IO, Any

from openpyxl import Workbook, load_workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.utils.exceptions import InvalidFileException

from fenland.core.identity import timestamp
from fenland.core.problems import Malformed

#: How many times larger than the file what is in it may be: a small file can hold endless rows of nothing.
_MOST_UNPACKED = 1_000_000_000


def read_sheet(source: Path | bytes) -> Iterator[list[str]]:
    """The rows of the first sheet, as texts. Raises `Malformed`."""
    file: Any = io.BytesIO(source) if isinstance(source, bytes) else source
    try:
        with zipfile.ZipFile(file) as packed:
            if sum(one.file_size for one in packed.infolist()) > _MOST_UNPACKED:
                raise Malformed("The spreadsheet is too large once unpacked. Save it as CSV.")
        book = load_workbook(file, read_only=True, data_only=True)
        sheet = book.worksheets[0]
        # Some programs write a wrong size into the sheet's head.
        sheet.reset_dimensions()
        for row in sheet.iter_rows(values_only=True):
            cells = [_text(one) for one in row]
            while cells and not cells[-1]:
                cells.pop()
            yield cells
    except Malformed:
        raise
    except (InvalidFileException, zipfile.BadZipFile, OSError, KeyError, ValueError, IndexError) as error:
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
