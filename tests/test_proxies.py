"""Behind a proxy, and asked from other origins: addresses under a path, whose client it is, CORS, and the log."""

from __future__ import annotations

import json
import signal
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import expect, sync_playwright

from browser import chromium
from fenland.core.definitions.model import DefinitionMistakes
from fenland.service.addresses import counted_as, network_of
from fenland.service.service import Service
from fenland.service.settings import Settings, read_settings
from fenland.web.serving.app import create_app
from fenland.web.serving.logs import client_address
from support import bearer, start

APP = "https://app.example"


@pytest.fixture
def under(service: Service) -> Iterator[httpx.Client]:
    """The app under a path, for pages of one other origin."""
    settings = Settings(public_address="https://firm.example/records/", allowed_origins=[APP])
    transport = httpx.WSGITransport(create_app(service, settings), script_name=settings.prefix)
    with httpx.Client(transport=transport, base_url="http://x", headers=bearer("olga")) as http:
        yield http


def test_every_address_begins_with_the_path(under: httpx.Client) -> None:
    for code in ("A1", "A2"):
        made = under.post("/v1/records/tools", json={"code": code, "name": "Saw"})
        assert made.headers["Location"] == f"/records/v1/records/tools/{code}"
    assert under.get("/v1/records/tools?limit=1").headers["Link"].startswith("</records/v1/records/tools?")
    assert under.get("/v1/records/tools/none").json()["type"] == "/records/problems/not-found"
    item = {"action": "delete", "collection": "tools", "key": "none"}
    batch = under.post("/v1/batch", json={"items": [item]}).json()
    assert batch["results"][0]["type"] == "/records/problems/not-found"
    assert under.get("/v1/schemas").json()["items"][0]["records"].startswith("/records/v1/records/")
    assert under.get("/v1/openapi.json").json()["servers"] == [{"url": "https://firm.example/records"}]
    page = under.get("/c/tools", headers={"Accept": "text/html"})
    assert '<base href="/records/" />' in page.text
    again = under.get("/c/tools", headers={"Accept": "text/html", "If-None-Match": page.headers["ETag"]})
    assert again.status_code == 304


def test_pages_of_an_allowed_origin_may_ask(under: httpx.Client) -> None:
    asks = {
        "Origin": APP,
        "Access-Control-Request-Method": "PATCH",
        "Access-Control-Request-Headers": "if-match",
    }
    preflight = under.options("/v1/records/tools/A1", headers=asks)
    assert preflight.status_code == 204
    assert preflight.headers["Access-Control-Allow-Origin"] == APP
    assert "PATCH" in preflight.headers["Access-Control-Allow-Methods"]
    sent = preflight.headers["Access-Control-Allow-Headers"].lower()
    assert all(name in sent for name in ("authorization", "content-type", "if-match", "idempotency-key"))
    under.post("/v1/records/tools", json={"code": "A1", "name": "Saw"})
    for path in ("/v1/records/tools/A1", "/v1/records/tools/none"):
        answer = under.get(path, headers={"Origin": APP})
        assert answer.headers["Access-Control-Allow-Origin"] == APP
        assert "ETag" in answer.headers["Access-Control-Expose-Headers"]
        assert "Origin" in answer.headers["Vary"]
        other = under.get(path, headers={"Origin": "https://other.example"})
        assert "Access-Control-Allow-Origin" not in other.headers
        assert "Origin" in other.headers["Vary"]
    refused = under.options(
        "/v1/records/tools/A1", headers=asks | {"Origin": "https://app.example.evil.example"}
    )
    assert "Access-Control-Allow-Origin" not in refused.headers


def test_nobody_else_may_where_no_origin_is_allowed(http: httpx.Client) -> None:
    assert "Access-Control-Allow-Origin" not in http.get("/v1/session", headers={"Origin": APP}).headers


ADDRESSES = [
    ("203.0.113.9", "", "203.0.113.9"), ("203.0.113.9", "198.51.100.1", "203.0.113.9"), ("10.0.0.1", "198.51.100.1", "198.51.100.1"),
    ("10.0.0.1", "1.2.3.4, 198.51.100.1, 10.0.0.2", "198.51.100.1"), ("10.0.0.1", "10.0.0.7", "10.0.0.7"), ("10.0.0.1", "1.2.3.4, <script>", "10.0.0.1"),
    ("::1", "2001:db8::7", "2001:db8::7"),
]  # fmt: skip


@pytest.mark.parametrize(("peer", "forwarded", "address"), ADDRESSES)
def test_forwarded_addresses_are_believed_from_trusted_proxies_alone(
    peer: str, forwarded: str, address: str
) -> None:
    from ipaddress import ip_network

    assert client_address(peer, forwarded, [ip_network("10.0.0.0/8"), ip_network("::1")]) == address


COUNTED = [
    ("203.0.113.9", "203.0.113.9", "203.0.113.0/24"),
    ("2001:db8::7", "2001:db8::/64", "2001:db8::/48"),
    ("2001:db8:0:0:ffff:1:2:3", "2001:db8::/64", "2001:db8::/48"),
    ("2001:db8:0:1::7", "2001:db8:0:1::/64", "2001:db8::/48"),
    ("::ffff:203.0.113.9", "203.0.113.9", "203.0.113.0/24"),
    ("fe80::1%eth0", "fe80::/64", "fe80::/48"),
    ("", "", ""), ("a socket", "a socket", ""),
]  # fmt: skip


@pytest.mark.parametrize(("address", "counted", "network"), COUNTED)
def test_what_an_address_is_counted_as(address: str, counted: str, network: str) -> None:
    assert (counted_as(address), network_of(address)) == (counted, network)


SETTINGS = [
    ('public_address = "firm.example"', "like https://records.example"), ('trusted_proxies = ["10.0.0.300"]', "10.0.0.300"),
    ('allowed_origins = ["https://app.example/"]', "An origin is like"), ('workers = "many"\nprot = 1', "Did you mean 'port'"),
]  # fmt: skip


@pytest.mark.parametrize(("line", "told"), SETTINGS)
def test_settings_that_make_no_sense_are_refused(tmp_path: Path, line: str, told: str) -> None:
    (tmp_path / "fenland.toml").write_text(line)
    with pytest.raises(DefinitionMistakes, match=told):
        read_settings(tmp_path)


def test_lists_in_the_environment_are_words_by_comma(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "fenland.toml").write_text('roles = ["editor"]')
    monkeypatch.setenv("FENLAND_ROLES", "office, crew")
    monkeypatch.setenv("FENLAND_ALLOWED_ORIGINS", "")
    found = read_settings(tmp_path)
    assert (found.roles, found.allowed_origins) == (["office", "crew"], [])


def test_the_real_service_under_a_path_and_its_log(project: Path) -> None:
    settings = project / "fenland.toml"
    settings.write_text(
        settings.read_text() + 'log_format = "json"\npublic_address = "https://firm.example/records"\n'
        'trusted_proxies = ["127.0.0.1"]\n'
    )
    out = project / "out"
    running = start("start", project, out)
    headers = {
        "Authorization": f"Bearer {(project / 'token').read_text()}",
        "X-Forwarded-For": "198.51.100.7",
    }
    try:
        # A proxy may take the path away, or leave it in.
        for path in ("/v1/records/notes", "/records/v1/records/notes"):
            assert httpx.get(running.address + path, headers=headers).status_code == 200
        assert httpx.get(f"{running.address}/recordsv1/session", headers=headers).status_code == 404
        with sync_playwright() as playwright:
            browser = chromium(playwright)
            page = browser.new_page(base_url=running.address)
            page.goto("/records/c/notes")
            page.get_by_role("button", name="Use a token").click()
            page.get_by_label("Token").fill((project / "token").read_text())
            page.keyboard.press("Enter")
            expect(page.get_by_role("heading", level=1)).to_contain_text("Notes")
            page.get_by_role("link", name="New note").click()
            expect(page).to_have_url(f"{running.address}/records/c/notes/new")
            browser.close()
    finally:
        running.process.send_signal(signal.SIGTERM)
        assert running.process.wait(20) == 0
    lines = [json.loads(line) for line in out.read_text().splitlines()]
    events = [one["event"] for one in lines]
    assert {"answers", "worker started", "worker stopped", "stopped"} <= set(events)
    asked = next(one for one in lines if one.get("path") == "/v1/records/notes")
    assert (asked["account"], asked["address"], asked["status"]) == ("ada", "198.51.100.7", 200)


def test_an_unexpected_error_is_logged_with_what_finds_it(
    service: Service, capfd: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("a defect")

    monkeypatch.setattr("fenland.web.records.read", broken)
    transport = httpx.WSGITransport(create_app(service, Settings()))
    with httpx.Client(transport=transport, base_url="http://x", headers=bearer("olga")) as http:
        answer = http.get("/v1/records/tools/A1", headers={"X-Request-ID": "find-me"})
    assert (answer.status_code, answer.json()["request_id"]) == (500, "find-me")
    told = "".join(capfd.readouterr())
    assert "unexpected error" in told and "find-me" in told and "olga" in told and "a defect" in told
