"""Views in the console: columns, what a list shows, and keeping it under a title, by keyboard and on a phone."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from browser import come_to_rest, opened_page, signed_in, without_fault
from support import Running


def shows(page: Page, *columns: str) -> None:
    """The first columns of the list are these; with an ellipsis behind them, more follow."""
    heads = page.get_by_role("columnheader")
    for place, column in enumerate(columns):
        if column != "…":
            expect(heads.nth(place + 1)).to_have_text(column)
    if columns[-1] != "…":
        expect(heads).to_have_count(len(columns) + 1)


def choose(page: Page, name: str | re.Pattern[str]) -> None:
    page.get_by_role("button", name=re.compile("^View")).click()
    page.get_by_role("menuitem", name=name).click()


@pytest.fixture(autouse=True)
def no_views(sample: Running) -> None:
    with sample.client() as http:
        for one in http.get("/v1/records/views").json()["items"]:
            http.delete(f"/v1/records/views/{one['id']}").raise_for_status()


def test_columns_are_chosen_ordered_and_sized_by_keyboard(page: Page) -> None:
    signed_in(page)
    page.goto("/c/tickets")
    shows(page, "Number", "Title", "Station", "…")
    page.get_by_role("button", name="View", exact=True).press("Enter")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    dialog = page.get_by_role("dialog", name="Columns")
    dialog.get_by_label("Station", exact=True).press("Space")
    dialog.get_by_label("Title up").press("Enter")
    dialog.get_by_label("Width of Title").press("Enter")
    page.get_by_role("option", name="Wide").press("Enter")
    dialog.get_by_label("Parts", exact=True).press("Space")
    dialog.get_by_role("button", name="Show these").press("Enter")
    expect(page).to_have_url(re.compile("columns=title%3A400%2Cnumber%2C"))
    shows(page, "Title", "Number", "State", "Priority", "Assignee", "Due on", "Parts")
    wide = page.get_by_role("columnheader", name="Title").bounding_box()
    assert wide is not None and wide["width"] >= 400
    # Editing goes by the columns that are there.
    page.get_by_role("gridcell", name=re.compile("^T-")).first.press("ArrowRight")
    page.keyboard.press("F2")
    expect(page.get_by_role("combobox", name="State")).to_be_focused()
    page.keyboard.press("Escape")
    choose(page, "Columns…")
    page.get_by_role("button", name="As defined").click()
    expect(page.get_by_role("columnheader", name="Station")).to_be_visible()


def test_a_view_is_kept_changed_shared_and_opens_first(page: Page, browser: Browser, sample: Running) -> None:
    signed_in(page)
    page.goto(
        "/c/tickets?where="
        + "state != 'done' %26%26 priority <= 2"
        + "&sort=-due_on&columns=number:100,title,due_on"
    )
    shows(page, "Number", "Title", "Due on")
    by = page.get_by_role("list", name="What the list shows")
    expect(by.get_by_role("listitem")).to_have_count(3)
    choose(page, "Keep this view…")
    page.get_by_label("Title").fill("Most urgent")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="View: Most urgent")).to_be_visible()
    # The order is taken away: the view is another than what was kept, until that is kept, too.
    by.get_by_role("button", name=re.compile("order")).click()
    expect(by.get_by_role("listitem")).to_have_count(2)
    choose(page, "Keep the changes in “Most urgent”")
    expect(page.get_by_role("button", name="View: Most urgent", exact=True)).to_be_visible()
    choose(page, re.compile("^Share, rename"))
    page.get_by_label("Shared with").click()
    page.get_by_role("option", name="crew").click()
    page.keyboard.press("Escape")
    page.get_by_label("Opens first").check()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Saved").first).to_be_visible()
    with opened_page(browser, sample.address) as other:
        signed_in(other, "sample-crew")
        other.goto("/c/tickets")
        expect(other.get_by_role("button", name="View: Most urgent")).to_be_visible()
        shows(other, "Number", "Title", "Due on")
        choose(other, "All records")
        expect(other.get_by_role("list", name="What the list shows")).to_have_count(0)
        shows(other, "Number", "Title", "Station", "…")
        other.reload()
        shows(other, "Number", "Title", "Station", "…")
        choose(other, re.compile("^Most urgent"))
        expect(other.get_by_role("button", name="View: Most urgent")).to_be_visible()
        choose(other, re.compile("^About"))
        expect(other.get_by_role("heading", name=re.compile("Most urgent"))).to_be_visible()
    # One's own goes before what is shared.
    with sample.client("sample-crew") as http:
        own = {"title": "Mine", "collection": "tickets", "columns": ["number"], "first": True}
        http.post("/v1/records/views", json=own).raise_for_status()
    with opened_page(browser, sample.address) as other:
        signed_in(other, "sample-crew")
        other.goto("/c/tickets")
        expect(other.get_by_role("button", name="View: Mine")).to_be_visible()
        shows(other, "Number")


@pytest.mark.parametrize(
    ("width", "scheme"), [(1280, "light"), (1280, "dark"), (390, "light"), (390, "dark")]
)
def test_views_have_no_fault(page: Page, width: int, scheme: str) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    page.emulate_media(color_scheme=scheme, reduced_motion="reduce")  # type: ignore[arg-type]
    signed_in(page)
    page.goto("/c/tickets?where=priority == 1&sort=-due_on&columns=number,title")

    def sound(what: Locator) -> None:
        expect(what).to_be_visible()
        come_to_rest(page)
        without_fault(page)

    sound(page.get_by_role("list", name="What the list shows"))
    page.get_by_role("button", name="View", exact=True).click()
    sound(page.get_by_role("menu"))
    page.get_by_role("menuitem", name="Columns…").click()
    sound(page.get_by_role("dialog", name="Columns"))
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    page.keyboard.press("Escape")
    choose(page, "Keep this view…")
    sound(page.get_by_role("dialog", name="Keep this view"))
