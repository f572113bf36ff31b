"""The inputs of an HTML form, read strictly: what cannot be read whole is refused, and nothing guessed.

`core/changes/html_forms.py` says what the inputs mean.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from urllib.parse import parse_qsl

from werkzeug.http import parse_options_header
from werkzeug.sansio.multipart import Data, Epilogue, Field, File, MultipartDecoder, NeedData

from fenland.core.limits import Limits, beyond
from fenland.core.problems import Malformed, UnsupportedMedia


def read_inputs(content_type: str, body: bytes, limits: Limits) -> Mapping[str, list[str]]:
    """The texts of a form by input name.

    Raises `Malformed` for a form that is cut short or not in UTF-8, `UnsupportedMedia` for files, and
    `TooLarge` for too many inputs.
    """
    kind, options = parse_options_header(content_type)
    if options.get("charset", "utf-8").lower() not in ("utf-8", "utf8", "us-ascii"):
        raise UnsupportedMedia(f"The form is in {options['charset']!r}. Send it in UTF-8.")
    try:
        if kind == "multipart/form-data":
            pairs = list(_parts(body, options.get("boundary", ""), limits))
        else:
            pairs = _pairs(body, limits)
    except UnicodeError:
        raise Malformed("The form is not in UTF-8. Send its texts as UTF-8.") from None
    found: dict[str, list[str]] = {}
    for name, text in pairs:
        found.setdefault(name, []).append(text)
    return found


def _too_many(limits: Limits) -> Exception:
    return beyond("operation_limit", limits.operations, "The form has too many inputs.")


def _pairs(body: bytes, limits: Limits) -> list[tuple[str, str]]:
    if body.count(b"&") >= limits.operations:
        raise _too_many(limits)
    return parse_qsl(body.decode(), keep_blank_values=True, errors="strict")


def _parts(body: bytes, boundary: str, limits: Limits) -> Iterator[tuple[str, str]]:
    """The names and texts of multipart/form-data (RFC 7578)."""
    if not boundary:
        raise Malformed("The form's Content-Type names no boundary. Send multipart/form-data; boundary=...")
    decoder = MultipartDecoder(boundary.encode("latin-1", "replace"), limits.body)
    decoder.receive_data(body)
    decoder.receive_data(None)
    name, text, count = "", b"", 0
    try:
        while not isinstance(event := decoder.next_event(), (NeedData, Epilogue)):
            if isinstance(event, File):
                raise UnsupportedMedia(f"The form holds a file, {event.name!r}. Files are not taken here.")
            if isinstance(event, Field):
                name, text, count = event.name, b"", count + 1
                if name is None:
                    raise Malformed("An input of the form has no name. Name each.")
                if count > limits.operations:
                    raise _too_many(limits)
            elif isinstance(event, Data):
                text += event.data
                if not event.more_data:
                    yield name, text.decode()
    except UnicodeError:
        raise
    except ValueError:
        event = NeedData()
    if not isinstance(event, Epilogue):
        raise Malformed(
            "The form is cut short, or its boundary is another one. Nothing was changed; send it whole."
        )
