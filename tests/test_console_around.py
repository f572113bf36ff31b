"""Around a record in the console: what refers to it, the next of the list, one like it, and its numbers over time."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from browser import come_to_rest, opened_page, signed_in, without_fault
from support import Running

STATION = "PS-138"


@pytest.fixture(autouse=True)
def three_tickets(sample: Running) -> None:
    """The station has these tickets and no others."""
    with sample.client() as http:
        http.delete("/v1/records/tickets", params={"where": f"station == '{STATION}'"}).raise_for_status()
        for number in (1, 2, 3):
            fields = {
                "number": f"T-38{number:02}",
                "title": f"Look at pump {number}",
                "station": STATION,
                "priority": 3,
            }
            http.post("/v1/records/tickets", json=fields).raise_for_status()


def test_what_refers_to_a_record_is_edited_and_added_there_by_keyboard(
    page: Page, browser: Browser, sample: Running
) -> None:
    signed_in(page)
    page.goto(f"/c/stations/r/{STATION}")
    tickets = page.get_by_role("region", name="Work tickets")
    row = tickets.get_by_role("row", name=re.compile("T-3802 "))
    row.get_by_role("link", name="T-3802").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("F2")
    page.get_by_role("textbox", name="Title").fill("Look at the float")
    page.keyboard.press("Enter")
    expect(row).to_contain_text("Look at the float")
    tickets.get_by_role("button", name="New work ticket").press("Enter")
    new = tickets.get_by_role("region", name="New work ticket")
    expect(new.get_by_label("Station")).to_have_value(re.compile(STATION))
    new.get_by_label("Number").fill("T-3804")
    new.get_by_label("Title").fill("Look at pump 4")
    page.keyboard.press("Enter")
    expect(tickets.get_by_role("row", name=re.compile("T-3804 "))).to_be_visible()
    page.keyboard.press("Escape")
    # What others add is told of, and shown when it is asked for.
    with sample.client() as http:
        fields = {"number": "T-3805", "title": "Look again", "station": STATION}
        http.post("/v1/records/tickets", json=fields).raise_for_status()
    expect(tickets.get_by_role("row", name=re.compile("T-3805 "))).to_be_visible()
    with opened_page(browser, sample.address) as other:
        # A visitor sees the station and its tickets, adds none, and sees no duties.
        signed_in(other, "sample-visitor")
        other.goto(f"/c/stations/r/{STATION}")
        expect(other.get_by_role("region", name="Work tickets").get_by_role("row")).to_have_count(6)
        come_to_rest(other)
        expect(other.get_by_role("region", name="Duties")).to_have_count(0)
        expect(other.get_by_role("button", name="New work ticket")).to_have_count(0)


def test_the_list_is_gone_through_record_by_record_over_its_pages(page: Page, sample: Running) -> None:
    with sample.client() as http:
        asked = {"where": "area == 'north'", "sort": "code", "fields": "code", "limit": 60}
        codes = [one["code"] for one in http.get("/v1/records/stations", params=asked).json()["items"]]
    signed_in(page)
    page.goto("/c/stations?where=area == 'north'&sort=code")
    page.get_by_role("link", name=codes[23]).click()
    heading = page.get_by_role("heading", level=1)
    ways = page.get_by_role("navigation", name="In the list")
    for code in codes[24:27]:
        ways.get_by_role("link", name="Next").press("Enter")
        expect(heading).to_contain_text(code)
    for code in reversed(codes[23:26]):
        ways.get_by_role("link", name="Previous").press("Enter")
        expect(heading).to_contain_text(code)
    page.goto(f"/c/stations/r/{codes[0]}")
    expect(heading).to_contain_text(codes[0])
    expect(ways).to_have_count(0)


def test_a_record_like_another_and_what_an_address_fills_in(page: Page) -> None:
    signed_in(page)
    page.goto("/c/tickets/r/T-3801")
    page.get_by_role("link", name="Duplicate").click()
    expect(page.get_by_text("Filled in from T-3801")).to_be_visible()
    expect(page.get_by_label("Title")).to_have_value("Look at pump 1")
    number = page.get_by_label("Number")
    assert number.input_value() != "T-3801"
    page.goto("/c/tickets/new?set.title=Sweep+the+yard&set.nothing=1&set.total=9")
    expect(page.get_by_label("Title")).to_have_value("Sweep the yard")
    page.goto("/c/tickets/new?like=T-none")
    expect(page.get_by_text("T-none cannot be read")).to_be_visible()


def test_the_numbers_of_a_record_are_shown_over_time(page: Page, sample: Running) -> None:
    with sample.client() as http:
        for pumps in (3, 5, 2):
            http.patch(f"/v1/records/stations/{STATION}", json={"pumps": pumps}).raise_for_status()
    signed_in(page)
    page.goto(f"/c/stations/r/{STATION}")
    page.get_by_role("link", name="Over time").click()
    for name, field in (("Tickets to do", "open_tickets"), ("Pumps", "pumps")):
        page.get_by_role("combobox", name="Field").click()
        page.get_by_role("option", name=name).click()
        expect(page).to_have_url(re.compile(f"field={field}"))
    rows = page.get_by_role("row")
    for place, pumps in enumerate(("2", "5", "3"), 1):
        expect(rows.nth(place).get_by_role("cell").nth(1)).to_have_text(pumps)
    without_fault(page)
    page.goto("/c/duty_templates/r/keys/over-time")
    expect(page.get_by_text("holds a number")).to_be_visible()


@pytest.mark.parametrize(
    ("width", "scheme"), [(1280, "light"), (1280, "dark"), (390, "light"), (390, "dark")]
)
def test_what_is_around_a_record_has_no_fault(page: Page, width: int, scheme: str) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    page.emulate_media(color_scheme=scheme, reduced_motion="reduce")  # type: ignore[arg-type]
    signed_in(page)
    page.goto(f"/c/stations/r/{STATION}")
    tickets = page.get_by_role("region", name="Work tickets")
    tickets.get_by_role("button", name="New work ticket").click()
    expect(tickets.get_by_role("region", name="New work ticket").get_by_label("Title")).to_be_visible()
    come_to_rest(page)
    without_fault(page)
