"""The request inspector in the console: switched on, read while requests come, and forgotten."""

from __future__ import annotations

import re
from contextlib import suppress

import pytest
from playwright.sync_api import Error, Page, Route, expect

from browser import signed_in, without_fault
from support import Running

#: Nobody else signs in as the visitor at the same time.
WHO = "sample-visitor"


@pytest.mark.parametrize("width", [1280, 390])
def test_what_programs_send_is_told_as_it_comes_by_keyboard(page: Page, sample: Running, width: int) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    page.emulate_media(color_scheme="light" if width == 1280 else "dark")
    signed_in(page, WHO)
    page.goto("/account")
    page.get_by_role("link", name="Your requests").press("Enter")
    state = page.get_by_role("status").filter(has_text="noted")
    expect(state).to_have_text("They are not noted now.")
    page.get_by_role("button", name="Note them").press("Enter")
    expect(state).to_contain_text("They are noted until")
    expect(page.get_by_text("None came yet.")).to_be_visible()
    lines = page.get_by_role("list", name="Requests").get_by_role("listitem")
    with sample.client(WHO) as http:
        http.get("/v1/records/watercourses?limit=1").raise_for_status()
        sent = {"name": "x", "colour": "red"}
        refused = http.patch("/v1/records/watercourses/W01", json=sent)
        assert refused.status_code == 403
        expect(lines).to_have_count(2)
        # A line that is open stays so, while others come.
        line = lines.filter(has_text="PATCH")
        line.get_by_role("button").press("Enter")
        row = line.get_by_role("row").filter(has_text="colour")
        expect(row).to_have_text(re.compile(r"colour.*not kept.*Not saved"))
        expect(line.get_by_role("alert")).to_have_text(refused.json()["detail"])
        http.get("/v1/session").raise_for_status()
        expect(lines).to_have_count(3)
        expect(row).to_be_visible()
    without_fault(page)
    page.get_by_label("Only refused ones").press("Space")
    expect(lines).to_have_count(1)
    # What was asked before and comes after brings nothing back.
    asked: list[Route] = []
    page.route(re.compile(r"/v1/requests\?"), lambda route: asked.append(route))
    while not asked:
        page.wait_for_timeout(50)
    before = asked[0].fetch()
    page.get_by_role("button", name="Stop and forget").press("Enter")
    expect(state).to_have_text("They are not noted now.")
    with suppress(Error):
        # The page may have let go of it.
        asked[0].fulfill(response=before)
    page.wait_for_timeout(300)
    expect(lines).to_have_count(0)
    expect(state).to_have_text("They are not noted now.")
