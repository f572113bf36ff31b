"""Compressed answers: the same to whoever takes them, only where that tells nobody anything, never mixed up."""

from __future__ import annotations

import json
import re
import zlib
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
import zstandard

from fenland.core.values.identity import CODINGS, coded_tag, etag, read_etag, uncoded_tag
from fenland.web.serving.compression import chosen
from support import bearer, workshop_of
from test_feed import WORKS

Works = tuple[Any, httpx.Client]


@pytest.fixture(scope="module")
def works(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Works]:
    with workshop_of(
        WORKS, tmp_path_factory.mktemp("compressed") / "works.db", account_managers=["office"]
    ) as found:
        for number in range(40):
            found[1].post(
                "/v1/records/jobs", json={"code": f"j{number}", "title": "é" * 60}
            ).raise_for_status()
        found[1].post("/v1/records/jobs", json={"code": "long", "title": "x" * 3_000}).raise_for_status()
        yield found


def raw(http: httpx.Client, path: str, accepted: str, **headers: str) -> tuple[httpx.Response, bytes]:
    """An answer, and its bytes as they came."""
    sent = bearer("olga") | {"Accept-Encoding": accepted} | headers
    with http.stream("GET", path, headers=sent) as answer:
        return answer, b"".join(answer.iter_raw())


def unpacked(answer: httpx.Response, content: bytes) -> bytes:
    coding = answer.headers.get("Content-Encoding")
    if coding == "zstd":
        return zstandard.ZstdDecompressor().decompressobj().decompress(content)
    return zlib.decompress(content, 31) if coding == "gzip" else content


#: What is compressed; and what is not: too short, of accounts and sessions, or not of ours to read.
COMPRESSED = [
    "/v1/records/jobs?limit=40", "/v1/records/jobs?limit=200&labels=true", "/v1/records/jobs/long", "/v1/records/jobs/long/form",
    "/v1/history", "/v1/changes?after=5", "/v1/exports/jobs", "/v1/exports/jobs?as=jsonl", "/v1/schemas/jobs", "/v1/openapi.json", "/v1/schemas/jobs/access",
]  # fmt: skip
PLAIN = [
    "/v1/records/jobs/j1",
    "/v1/session",
    "/v1/accounts",
    "/v1/tokens",
    "/v1/records/jobs?where=" + "a" * 2_000,
    "/healthz",
]


@pytest.mark.parametrize("coding", CODINGS)
@pytest.mark.parametrize("path", COMPRESSED)
def test_whoever_takes_them_has_the_same_in_fewer_bytes(works: Works, path: str, coding: str) -> None:
    plain, whole = raw(works[1], path, "identity")
    answer, content = raw(works[1], path, coding)
    assert (plain.status_code, answer.status_code) == (200, 200)
    assert answer.headers["Content-Encoding"] == coding and "Content-Encoding" not in plain.headers
    assert unpacked(answer, content) == whole and len(content) < len(whole) * 0.8
    assert all("Accept-Encoding" in one.headers["Vary"] for one in (plain, answer))


@pytest.mark.parametrize("path", PLAIN)
def test_what_is_short_or_about_accounts_or_a_refusal_stays_as_it_is(works: Works, path: str) -> None:
    answer, _ = raw(works[1], path, "gzip, zstd")
    assert "Content-Encoding" not in answer.headers


@pytest.mark.parametrize(
    "headers",
    [{"Sec-Fetch-Site": "cross-site"}, {"Sec-Fetch-Site": "same-site"}, {"Origin": "https://else.example"}],
)
def test_what_a_page_elsewhere_asks_for_stays_as_it_is(works: Works, headers: dict[str, str]) -> None:
    assert "Content-Encoding" not in raw(works[1], COMPRESSED[0], "gzip", **headers)[0].headers
    assert (
        "Content-Encoding"
        in raw(works[1], COMPRESSED[0], "gzip", **{"Sec-Fetch-Site": "same-origin"})[0].headers
    )


@pytest.mark.parametrize(("accepted", "expected"), [
    ("gzip", "gzip"), ("gzip, deflate, br, zstd", "zstd"), ("zstd;q=0, gzip", "gzip"), ("zstd;q=0.1, gzip", "gzip"), ("*", "zstd"), ("br", None),
    ("", None), ("identity", None), ("gzip;q=0", None), ("gzip;q=x", None), (",,;", None),
])  # fmt: skip
def test_the_coding_is_one_that_the_client_takes(accepted: str, expected: str | None) -> None:
    assert chosen(accepted) == expected


@pytest.mark.parametrize("coding", CODINGS)
def test_a_compressed_record_has_a_tag_of_its_own_that_names_its_version_all_the_same(
    works: Works, coding: str
) -> None:
    _, http = works
    path = "/v1/records/jobs/long"
    plain, packed = raw(http, path, "identity")[0].headers["ETag"], raw(http, path, coding)[0].headers["ETag"]
    assert plain != packed and uncoded_tag(packed) == plain
    assert raw(http, path, coding, **{"If-None-Match": packed})[0].status_code == 304
    fields = {"title": coding * 1_000}
    answer = http.patch(path, json=fields, headers={"If-Match": packed})
    assert answer.status_code == 200
    assert http.patch(path, json={"title": "z"}, headers={"If-Match": packed}).status_code == 412
    assert (
        http.patch(
            path, json={"title": "x" * 3_000}, headers={"If-Match": f'"{plain[1:-1]}+other"'}
        ).status_code
        == 412
    )


def test_a_tag_is_read_back_whatever_it_was_coded_by() -> None:
    for coding in CODINGS:
        tag = etag("01a22add-949f-7251-b242-6ef64268c4b6", 7, 3, "0123456789abcdef")
        assert (
            read_etag(coded_tag(tag, coding)) == read_etag(tag) == ("01a22add-949f-7251-b242-6ef64268c4b6", 7)
        )
        assert coded_tag('W/"x"', coding) == 'W/"x"'


def test_a_list_is_known_by_its_tag_however_it_came(works: Works) -> None:
    answer, content = raw(works[1], COMPRESSED[0], "gzip")
    assert json.loads(unpacked(answer, content))["items"]
    assert (
        raw(works[1], COMPRESSED[0], "zstd", **{"If-None-Match": answer.headers["ETag"]})[0].status_code
        == 304
    )


@pytest.mark.parametrize("coding", CODINGS)
def test_a_file_of_the_console_is_known_by_its_tag_however_it_came(works: Works, coding: str) -> None:
    """Those are compared by Flask, which knows nothing of codings."""
    _, http = works
    script = re.search(
        r'src="(?:\./)?(assets/[^"]+\.js)"', http.get("/", headers={"Accept": "text/html"}).text
    )
    assert script is not None
    for path in ("/", f"/{script[1]}"):
        packed = raw(http, path, coding, Accept="text/html")[0].headers["ETag"]
        assert uncoded_tag(packed) != packed
        held = f'"another", {packed}'
        assert raw(http, path, coding, Accept="text/html", **{"If-None-Match": held})[0].status_code == 304
