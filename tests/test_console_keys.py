"""The console by keyboard: the focus never falls to the page's start, keys do what people expect, sessions are renewed."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from browser import come_to_rest, sign_in, signed_in
from fenland.demo.data import PASSWORD
from support import Running


def _kept(page: Page) -> None:
    """The focus is on something, and stays there once the page has come to rest."""
    come_to_rest(page)
    assert page.evaluate("document.activeElement !== document.body"), page.url


def test_the_focus_stays_in_the_content_whatever_is_done(page: Page, sample: Running) -> None:
    sign_in(page)
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stations")
    page.get_by_role("link", name="Landholders").press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Landholders")
    expect(page.get_by_role("main")).to_be_focused()
    page.get_by_role("link", name="Stations").press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stations")
    expect(page.get_by_role("main")).to_be_focused()
    page.get_by_role("button", name="Filter").press("Enter")
    _kept(page)
    typed = page.get_by_label("Expression")
    typed.fill("pumps > 1")
    typed.press("Enter")
    expect(page.get_by_text(re.compile(r"^\d+ found$"))).to_be_visible()
    expect(page.get_by_label("Expression")).to_be_focused()
    page.get_by_role("button", name="Next").press("Enter")
    expect(page.get_by_role("status").filter(has_text="26–")).to_be_visible()
    _kept(page)
    page.get_by_role("button", name="Clear").press("Enter")
    _kept(page)
    page.get_by_role("link", name="PS-061").or_(
        page.get_by_role("link", name=re.compile("^PS-"))
    ).first.press("Enter")
    expect(page.get_by_role("main")).to_be_focused()
    page.goto("/c/stations/r/PS-061")
    pumps = page.get_by_role("textbox", name="Pumps")
    pumps.fill("7" if pumps.input_value() != "7" else "8")
    page.get_by_role("button", name="Save").press("Enter")
    expect(page.get_by_text("Saved. PS-061")).to_be_visible()
    _kept(page)
    pumps.fill("3")
    page.get_by_role("button", name="Cancel").press("Enter")
    _kept(page)
    pumps.fill("4")
    with sample.client() as client:
        client.patch("/v1/records/stations/PS-061", json={"pumps": 9}).raise_for_status()
    pumps.press("Control+s")
    expect(page.get_by_role("region", name="Conflict")).to_be_focused()
    page.get_by_role("radio", name="mine").press("Space")
    page.get_by_role("button", name="Save with these choices").press("Enter")
    expect(page.get_by_text("Saved. PS-061")).to_be_visible()
    _kept(page)
    page.get_by_role("button", name="Delete…").press("Enter")
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Delete…")).to_be_focused()


def test_the_first_key_leads_past_the_collections(page: Page) -> None:
    signed_in(page)
    page.goto("/c/stations")
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    page.keyboard.press("Tab")
    skip = page.get_by_role("link", name="Skip to the content")
    expect(skip).to_be_focused()
    skip.press("Enter")
    expect(page.get_by_role("main")).to_be_focused()


@pytest.mark.parametrize("key", ["Control+s", "Meta+s"])
def test_a_key_saves_from_anywhere_in_the_page(page: Page, key: str) -> None:
    signed_in(page)
    page.goto("/c/stations/r/PS-062")
    notes = page.get_by_role("textbox", name="Pumps")
    notes.fill("5" if notes.input_value() != "5" else "6")
    page.get_by_role("heading", level=1).click()
    page.keyboard.press(key)
    expect(page.get_by_text("Saved. PS-062")).to_be_visible()


def test_escape_asks_before_it_discards_and_closes_a_list_first(page: Page) -> None:
    signed_in(page)
    page.goto("/c/stations/r/PS-063")
    pumps, status = page.get_by_role("textbox", name="Pumps"), page.get_by_role("combobox", name="Status")
    before = pumps.input_value()
    pumps.fill("11")
    status.click()
    expect(page.get_by_role("listbox")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("listbox")).to_have_count(0)
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_contain_text("Discard what you changed?")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(pumps).to_have_value("11")
    pumps.press("Escape")
    page.get_by_role("button", name="Discard").click()
    expect(pumps).to_have_value(before)
    page.goto("/c/stations/new")
    page.get_by_label("Code").press("Escape")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stations")


def test_a_list_of_a_few_values_offers_them(page: Page, sample: Running) -> None:
    signed_in(page)
    page.goto("/c/watercourses/r/W05")
    uses = page.get_by_role("combobox", name="Used for")
    uses.click()
    page.get_by_role("option", name="angling").click()
    page.get_by_role("option", name="boating").click()
    uses.press("Escape")
    uses.fill("skating")
    uses.press("Tab")
    expect(uses).to_have_value("")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Saved. W05")).to_be_visible()
    with sample.client() as http:
        assert http.get("/v1/records/watercourses/W05").json()["uses"] == ["angling", "boating"]


def test_a_session_that_ends_during_an_edit_is_renewed_without_losing_anything(
    page: Page, sample: Running
) -> None:
    page.goto("/")
    page.get_by_label("Name").fill("ines.harrow")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("navigation", name="Collections")).to_be_visible()
    page.goto("/c/stations/r/PS-064")
    pumps = page.get_by_role("textbox", name="Pumps")
    wanted = "2" if pumps.input_value() != "2" else "3"
    pumps.fill(wanted)
    # That it is edited has been told: else that, and not the save, would find the session ended.
    come_to_rest(page)
    page.context.clear_cookies()
    page.keyboard.press("Control+s")
    dialog = page.get_by_role("dialog", name="Your session has ended")
    expect(dialog.get_by_label("Name")).to_have_value("ines.harrow")
    dialog.get_by_label("Password").fill("not it")
    page.keyboard.press("Enter")
    expect(dialog.get_by_role("alert")).to_be_visible()
    dialog.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    # What was about to be saved is saved.
    expect(page.get_by_text("Saved. PS-064")).to_be_visible()
    expect(pumps).to_have_value(wanted)
    # Somebody else finds nothing of it.
    pumps.fill("9")
    page.context.clear_cookies()
    page.keyboard.press("Control+s")
    expect(dialog).to_be_visible()
    dialog.get_by_label("Name").fill("marta.quill")
    dialog.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name="Marta Quill")).to_be_visible()
    expect(dialog).to_have_count(0)
    with sample.client() as http:
        assert http.get("/v1/records/stations/PS-064").json()["pumps"] == int(wanted)


def test_a_wrong_password_ends_no_session(page: Page) -> None:
    page.goto("/")
    page.get_by_label("Name").fill("tobin.reed")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("navigation", name="Collections")).to_be_visible()
    page.goto("/account")
    part = page.get_by_role("region", name="Password")
    part.get_by_label("Current password").fill("not it")
    part.get_by_label("New password").fill("long enough to be one")
    page.keyboard.press("Enter")
    expect(part.get_by_role("alert")).to_be_visible()
    expect(page.get_by_role("dialog")).to_have_count(0)
