"""The body of a request, whole: its bytes, its type, and how it is coded; what a file may be."""

from __future__ import annotations

from collections.abc import Mapping

from flask import Request
from werkzeug.exceptions import RequestEntityTooLarge

from fenland.core.changes.tabular import Form
from fenland.core.limits import Limits, beyond
from fenland.core.problems import UnsupportedMedia

JSON = "application/json"
#: The media types of files, by what they are (RFC 4180 for CSV; JSON Lines has none that is registered).
MEDIA: Mapping[str, Form] = {
    "text/csv": "csv",
    "application/jsonl": "jsonl",
    "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet": "xlsx",
}
#: Of a file of this type, `as` says what it is: for tools that know no other.
ANY_FILE = "application/octet-stream"
HTML_FORMS = ("application/x-www-form-urlencoded", "multipart/form-data")

#: Where the whole body lies in the WSGI environment, once the front has read it.
BODY = "fenland.body"
#: There when the answer is made piece by piece, as an iterator that can be closed.
STREAMED = "fenland.streamed"


def file_of(request: Request, limits: Limits) -> bytes:
    """A body that is a file. Raises `TooLarge`."""
    return _body_of(request, limits.file, "import_body_limit", "The file has too many bytes.")


def body_of(request: Request, limits: Limits) -> bytes:
    """The body. Raises `TooLarge`."""
    return _body_of(request, limits.body, "body_limit", "The body has too many bytes.")


def _body_of(request: Request, most: int, setting: str, detail: str) -> bytes:
    body: bytes | None = request.environ.get(BODY)
    if body is None:
        try:
            body = request.get_data()
        except RequestEntityTooLarge:
            body = None
    if body is None or len(body) > most:
        raise beyond(setting, most, detail)
    return body


def check_coding(request: Request, accepted: str) -> None:
    """Raises `UnsupportedMedia` for a body that is compressed, or in other characters than UTF-8's.

    `accepted` is what Accept-Patch then says.
    """
    coding = request.environ.get("HTTP_CONTENT_ENCODING", "").strip().lower()
    if coding not in ("", "identity"):
        raise UnsupportedMedia(
            f"The body is coded as {coding!r}, which is not read here. Send it as it is.",
            headers={"Accept-Encoding": "identity"},
        )
    sent: str = request.environ.get("CONTENT_TYPE", "")
    if "charset" in sent.lower():
        charset = request.mimetype_params.get("charset", "utf-8").lower()
        if charset not in ("utf-8", "utf8", "us-ascii"):
            raise UnsupportedMedia(
                f"The body is in {charset!r}. Send it in UTF-8.", headers={"Accept-Patch": accepted}
            )
