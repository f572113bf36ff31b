"""Pages of passes in a browser, with and without scripts, and what came in reviewed in the console."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from browser import come_to_rest, opened_page, sign_in, signed_in, without_fault
from support import Running


@contextmanager
def phone(
    browser: Browser, *, scripts: bool = True, scheme: Any = "light", width: int = 320
) -> Iterator[Page]:
    """The browser of somebody without an account; nothing that it loads may come from elsewhere."""
    context = browser.new_context(
        viewport={"width": width, "height": 700}, java_script_enabled=scripts, color_scheme=scheme
    )
    found, asked = context.new_page(), list[str]()
    found.on("request", lambda request: asked.append(request.url))
    found.on("requestfailed", lambda request: asked.append(f"failed: {request.url}"))
    yield found
    assert {re.sub(r"^(https?://[^/]+).*", r"\1", one) for one in asked} == {
        re.sub(r"^(https?://[^/]+).*", r"\1", asked[0])
    }
    context.close()


def link_of(sample: Running, template: str, key: str | None) -> str:
    asked = {
        "collection": "landholders" if key else "stations",
        "template": template,
        **({"key": key} if key else {}),
    }
    with sample.client() as http:
        return str(http.post("/v1/passes", json=asked).json()["link"])


def answer(page: Page, sample: Running, key: str) -> None:
    with sample.client() as http:
        known = http.get(f"/v1/records/landholders/{key}").json()["address"]["postcode"]
    page.get_by_label("Postcode").fill(known.lower())
    page.get_by_role("button", name="Go on").click()


@pytest.mark.parametrize("scripts", [True, False])
def test_somebody_corrects_their_data_and_the_office_takes_it_over(
    page: Page, browser: Browser, sample: Running, scripts: bool
) -> None:
    key = "L0101" if scripts else "L0102"
    signed_in(page)
    page.goto(f"/c/landholders/r/{key}")
    page.get_by_role("button", name="Links for people without an account").click()
    page.get_by_role("button", name="Make a link: Your details").click()
    link = page.locator("code", has_text="/p/").inner_text()
    with phone(browser, scripts=scripts) as theirs:
        theirs.goto(link)
        answer(theirs, sample, key)
        expect(theirs.get_by_role("heading", level=1)).to_have_text("Your details with the drainage board")
        line = theirs.get_by_label("House and road")
        # Only what is ticked opens, filled with what stands there.
        expect(line).to_be_hidden()
        theirs.get_by_label("This is wrong: Address").check()
        expect(line).not_to_have_value("")
        line.fill("1 New Road")
        theirs.get_by_label("This is wrong: Phone").check()
        theirs.get_by_label("Phone", exact=True).fill("no number")
        theirs.get_by_label("Anything else").first.fill("We have moved.")
        theirs.get_by_role("button", name="Send", exact=True).first.click()
        # Nothing is lost: ticks and texts stand as they were.
        expect(theirs.get_by_role("alert")).to_contain_text("Phone: This does not have the form")
        expect(line).to_have_value("1 New Road")
        theirs.get_by_label("Phone", exact=True).fill("0555 300300")
        theirs.get_by_role("button", name="Send", exact=True).first.click()
        expect(theirs.get_by_role("status")).to_contain_text("Somebody will look at this")
        # The office, whose side bar has told of it meanwhile.
        expect(page.get_by_role("link", name="Proposals")).to_contain_text(re.compile(r"[0-9]+"))
        page.get_by_role("link", name="Change of").first.click()
        review = page.get_by_role("region", name="Proposal")
        expect(review).to_contain_text("We have moved.")
        expect(review).to_contain_text("1 New Road")
        page.keyboard.press("a")
        expect(page.get_by_text(re.compile("Proposal [0-9]+ is applied"))).to_be_visible()
        theirs.get_by_role("link", name="Back").click()
        expect(theirs.get_by_text("was taken over").first).to_be_visible()
        expect(theirs.get_by_text("1 New Road").first).to_be_visible()
    page.goto(f"/c/landholders/r/{key}")
    expect(page.get_by_label("House and road")).to_have_value("1 New Road")
    expect(page.get_by_role("region", name="History")).to_contain_text("pass:own_details")


def test_what_came_in_is_refused_by_field_with_keys_alone_and_the_next_one_opens(
    page: Page, browser: Browser, sample: Running
) -> None:
    # What other tests have left waiting is older, and would be the next.
    with sample.client() as http:
        for one in http.get("/v1/proposals?state=waiting").json()["items"]:
            settled = http.post(f"/v1/proposals/{one['number']}/refuse", json={"reason": "of another test"})
            assert settled.status_code == 200, settled.text
    with phone(browser) as theirs:
        for key in ("L0103", "L0104"):
            theirs.goto(link_of(sample, "own_details", key))
            answer(theirs, sample, key)
            theirs.get_by_label("This is wrong: Address").check()
            theirs.get_by_label("Village").fill("Nowhere")
            theirs.get_by_label("This is wrong: Parcels").check()
            theirs.get_by_label("Parcels", exact=True).fill("ZZ9999")
            theirs.get_by_role("button", name="Send", exact=True).first.click()
            expect(theirs.get_by_role("status")).to_contain_text("Somebody will look")
    signed_in(page)
    page.goto("/proposals")
    page.get_by_role("navigation", name="Proposals").get_by_role("link", name="L0103").click()
    review = page.get_by_role("region", name="Proposal")
    expect(review).to_contain_text("ZZ9999")
    # Left out, so that only the address is decided about.
    parcels = review.get_by_role("checkbox", name="Parcels")
    parcels.focus()
    page.keyboard.press("Space")
    expect(parcels).not_to_be_checked()
    page.keyboard.press("r")
    reason = page.get_by_label("Why")
    expect(reason).to_be_focused()
    page.keyboard.type("There is no such village")
    page.keyboard.press("Enter")
    expect(review).to_contain_text("refused by ines.harrow: There is no such village")
    # What was left out is next, and nothing that is typed is taken for a key before the dialog has it.
    expect(parcels).to_be_checked()
    page.keyboard.press("r")
    expect(reason).to_be_focused()
    page.keyboard.type("Nor such a parcel")
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Proposal")).to_contain_text("L0104")
    with sample.client() as http:
        first = http.get("/v1/proposals?state=refused&collection=landholders&key=L0103&newest=true").json()
    reasons = {name: one["reason"] for name, one in first["items"][0]["fields"].items()}
    assert reasons == {"address": "There is no such village", "parcels": "Nor such a parcel"}


def test_a_conflict_is_marked_and_somebody_decides(page: Page, browser: Browser, sample: Running) -> None:
    with phone(browser) as theirs, sample.client() as http:
        theirs.goto(link_of(sample, "own_details", "L0105"))
        answer(theirs, sample, "L0105")
        theirs.get_by_label("This is wrong: Phone").check()
        theirs.get_by_label("Phone", exact=True).fill("0555 777777")
        http.patch("/v1/records/landholders/L0105", json={"phone": "0555 888888"}).raise_for_status()
        theirs.get_by_role("button", name="Send", exact=True).first.click()
        expect(theirs.get_by_role("status")).to_contain_text("Others have changed this")
        number = http.get("/v1/proposals?newest=true&limit=1").json()["items"][0]["number"]
        signed_in(page)
        page.goto(f"/proposals/{number}")
        review = page.get_by_role("region", name="Proposal")
        expect(review).to_contain_text("Changed since it was proposed")
        # It is not taken before somebody says so.
        apply = review.get_by_role("button", name="Apply")
        expect(apply).to_be_disabled()
        review.get_by_role("checkbox", name="Phone").check()
        apply.click()
        expect(page.get_by_text("is applied")).to_be_visible()
        assert http.get("/v1/records/landholders/L0105").json()["phone"] == "0555 777777"


def test_a_list_follows_and_takes_a_report(page: Page, browser: Browser, sample: Running) -> None:
    signed_in(page)
    page.goto("/c/stations/passes")
    page.get_by_role("button", name="Make a link: Stations along").click()
    link = page.locator("code", has_text="/p/").inner_text()
    with phone(browser) as theirs, sample.client() as http:
        theirs.clock.install()
        theirs.goto(link)
        row = theirs.get_by_role("link", name="Cold Ferring Bridge").first
        expect(row).to_be_visible()
        http.patch("/v1/records/stations/PS-014", json={"name": "Aaa the first"}).raise_for_status()
        # The list asks anew by itself, every quarter of a minute.
        theirs.clock.fast_forward(16_000)
        expect(theirs.get_by_role("link", name="Aaa the first")).to_be_visible()
        theirs.get_by_role("link", name="Aaa the first").click()
        theirs.get_by_label("Title").fill("Rake is stuck")
        theirs.get_by_role("button", name="Send", exact=True).click()
        expect(theirs.get_by_role("status")).to_contain_text("It has come in")
        http.patch("/v1/records/stations/PS-014", json={"name": "Cold Ferring Bridge"}).raise_for_status()
    page.goto("/proposals")
    # Others may have sent something about the same station before.
    page.get_by_role("navigation", name="Proposals").get_by_role("link", name="PS-014").last.click()
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_text("is applied")).to_be_visible()


def test_a_letter_to_everybody_on_a_list_is_a_file(page: Page) -> None:
    signed_in(page)
    page.goto('/c/landholders?where=number < "L0004"')
    page.get_by_role("button", name="Letters…").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Make the links").click()
    lines = Path(download.value.path()).read_text().strip().split("\n")
    assert [line.split(",")[1] for line in lines[1:]] == ["L0001", "L0002", "L0003"]
    page.get_by_role("link", name="Passes").click()
    expect(page.get_by_text("L0003").first).to_be_visible()


def test_a_link_is_revoked_in_the_console_and_good_no_more(
    page: Page, browser: Browser, sample: Running
) -> None:
    link = link_of(sample, "own_details", "L0106")
    signed_in(page)
    page.goto("/c/landholders/r/L0106")
    page.get_by_role("button", name="Links for people without an account").click()
    page.get_by_role("button", name="Revoke…").first.click()
    page.get_by_role("button", name="Revoke", exact=True).click()
    expect(page.get_by_role("region", name="Passes")).to_contain_text("revoked")
    with phone(browser) as theirs:
        answered = theirs.goto(link)
        assert answered is not None and answered.status == 404
        expect(theirs.get_by_role("heading")).to_have_text("This link is not good")


@pytest.mark.parametrize(("scheme", "width"), [("light", 320), ("dark", 1280)])
def test_pages_can_be_read_by_everybody(browser: Browser, sample: Running, scheme: str, width: int) -> None:
    with phone(browser, scheme=scheme, width=width) as theirs:
        link, listing = link_of(sample, "own_details", "L0107"), link_of(sample, "public", None)
        theirs.goto(link)
        without_fault(theirs)
        answer(theirs, sample, "L0107")
        for box in theirs.get_by_role("checkbox").all():
            if box.is_visible():
                box.check()
        without_fault(theirs)
        theirs.get_by_label("Phone", exact=True).fill("none")
        theirs.get_by_role("button", name="Send", exact=True).first.click()
        expect(theirs.get_by_role("alert")).to_be_visible()
        without_fault(theirs)
        theirs.get_by_label("Phone", exact=True).fill("0555 7")
        theirs.get_by_role("button", name="Send", exact=True).first.click()
        expect(theirs.get_by_role("status")).to_be_visible()
        without_fault(theirs)
        theirs.goto(link)
        without_fault(theirs)
        theirs.goto(listing)
        without_fault(theirs)
        theirs.get_by_role("link", name="Cold Ferring Bridge").first.click()
        without_fault(theirs)
        theirs.goto(f"{sample.address}/p/none")
        without_fault(theirs)
        # With keys alone: what is skipped to, ticked and sent.
        theirs.goto(link)
        theirs.keyboard.press("Tab")
        expect(theirs.get_by_role("link", name="To the content")).to_be_focused()
        theirs.keyboard.press("Enter")
        theirs.keyboard.press("Tab")
        theirs.keyboard.press("Space")
        theirs.keyboard.press("Tab")
        theirs.keyboard.type("0555 8")
        theirs.keyboard.press("Enter")
        expect(theirs.get_by_role("status")).to_contain_text("This is changed now")


def test_the_console_pages_of_passes_come_to_rest(browser: Browser, sample: Running) -> None:
    with opened_page(browser, sample.address) as page:
        sign_in(page, "sample-visitor")
        expect(page.get_by_role("link", name="Proposals")).to_have_count(0)
        page.goto("/proposals")
        expect(page.get_by_text("Nothing waits to be looked at.")).to_be_visible()
        page.goto("/c/stations")
        come_to_rest(page)
        expect(page.get_by_role("button", name="Letters…")).to_have_count(0)
