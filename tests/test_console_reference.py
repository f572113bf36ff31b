"""The API browsed in the console: nothing is loaded from elsewhere, and calls are made as whoever is signed in."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from browser import signed_in
from support import Running


def test_the_api_is_browsed_and_tried_as_whoever_is_signed_in(page: Page, sample: Running) -> None:
    asked: list[str] = []
    page.on("request", lambda one: asked.append(one.url))
    signed_in(page, "sample-crew")
    page.goto("/c/tickets/calls")
    page.get_by_role("link", name="The whole API").click()
    expect(page).to_have_url(re.compile("reference.collection=tickets"))
    document = page.get_by_role("link", name=re.compile("openapi.json"))
    page.get_by_label("OpenAPI 3.0").check()
    page.get_by_label("Without references").check()
    expect(document).to_have_attribute(
        "href", f"{sample.address}/v1/openapi.json?collection=tickets&openapi=3.0&flat=true"
    )
    # Viewers of an API have their own ways to be worked: this is the one that reads a single record.
    operation = page.locator("#operations-tickets-readWorkTicket")
    operation.get_by_role("button").first.click()
    operation.get_by_role("button", name="Try it out").click()
    operation.get_by_placeholder("key").fill("T-0300")
    operation.get_by_role("button", name="Execute").click()
    answer = operation.locator(".live-responses-table")
    expect(answer).to_contain_text("200")
    expect(answer).to_contain_text('"T-0300"')
    # By what one is known is shown nowhere.
    assert "sample-crew" not in page.locator("body").inner_text()
    assert all(url.startswith((sample.address, "data:", "blob:")) for url in asked), asked
    page.get_by_label("Of", exact=True).click()
    page.get_by_role("option", name="Duties", exact=True).click()
    expect(page.locator("#operations-duties-readDuty")).to_be_visible()
