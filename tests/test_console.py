"""The web console in headless Chromium, against the sample service, as its user would work with it."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect, sync_playwright

from browser import chromium
from support import Running


@pytest.fixture
def page(sample: Running) -> Iterator[Page]:
    with sync_playwright() as playwright:
        browser = chromium(playwright)
        found = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=sample.address)
        found.set_default_timeout(15_000)
        broken: list[str] = []
        found.on("pageerror", lambda error: broken.append(str(error)))
        yield found
        browser.close()
    assert not broken


def sign_in(page: Page, token: str = "sample-office") -> None:
    page.goto("/")
    page.get_by_role("button", name="Use a token").click()
    page.get_by_label("Token").fill(token)
    page.keyboard.press("Enter")
    expect(page.get_by_role("navigation", name="Collections")).to_be_visible()


def fields_sent(page: Page) -> list[dict]:
    sent: list[dict] = []
    page.on(
        "request", lambda request: sent.append(request.post_data_json) if request.method == "PATCH" else None
    )
    return sent


def test_find_a_record_change_it_and_see_its_history_grow(page: Page) -> None:
    page.goto("/")
    page.get_by_role("button", name="Use a token").click()
    page.get_by_label("Token").fill("wrong")
    page.keyboard.press("Enter")
    expect(page.get_by_text("unknown, expired or revoked")).to_be_visible()
    sign_in(page)
    page.get_by_role("link", name="Stations").click()
    expect(page.get_by_text(re.compile(r"^1–25 of \d+$"))).to_be_visible()
    page.get_by_role("button", name="Next").click()
    expect(page.get_by_text(re.compile(r"^26–50 of \d+$"))).to_be_visible()
    page.get_by_label("Search").fill("PS-041")
    expect(page.get_by_text("1–1 of 1")).to_be_visible()
    page.get_by_role("link", name="PS-041").click()

    history = page.get_by_role("region", name="History")
    expect(history.get_by_role("listitem").last).to_contain_text("created PS-041")
    grown = history.get_by_role("listitem").count() + 1
    sent = fields_sent(page)
    save = page.get_by_role("button", name="Save")
    expect(save).to_be_disabled()
    expect(page.get_by_label("Code")).to_have_count(0)  # shown, and no input
    pumps = page.get_by_label("Pumps")
    pumps.fill("99")
    pumps.press("Enter")
    expect(page.get_by_text("Enter 12 or less.", exact=True)).to_be_visible()
    expect(pumps).to_have_attribute("aria-invalid", "true")
    pumps.fill("11")
    page.get_by_label("Status").click()
    page.get_by_role("option", name="maintenance").click()
    page.get_by_role("textbox", name="Name", exact=True).first.fill("Renamed Bank")
    save.click()
    message = page.get_by_role("status").filter(has_text="Saved. PS-041 is at version")
    expect(message).to_be_focused()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Renamed Bank")
    expect(history.get_by_role("listitem")).to_have_count(grown)
    expect(history.get_by_role("listitem").first).to_contain_text("Ines Harrow changed name from")
    expect(history.get_by_role("listitem").first).to_contain_text("through the console")
    assert sent[0] == {"pumps": 99}
    assert sent[1].keys() <= {"name", "status", "pumps"}
    page.get_by_role("link", name="← Stations").click()
    page.get_by_label("Search").fill("Renamed")
    expect(page.get_by_role("cell", name="Renamed Bank")).to_be_visible()


def test_cancel_really_cancels(page: Page) -> None:
    sign_in(page)
    sent = fields_sent(page)
    page.goto("/c/stations/r/PS-050")
    pumps = page.get_by_label("Pumps")
    before = pumps.input_value()
    pumps.fill("7" if before != "7" else "8")
    page.get_by_label("Starts by itself").click()
    page.get_by_role("button", name="Cancel").click()
    expect(pumps).to_have_value(before)
    expect(page.get_by_role("button", name="Save")).to_be_disabled()
    assert sent == []


def test_the_form_shows_once_its_fresh_data_is_there(page: Page, sample: Running) -> None:
    sign_in(page)
    page.goto("/c/stations/r/PS-051")
    expect(page.get_by_label("Pumps")).to_be_visible()
    page.get_by_role("link", name="← Stations").click()
    with sample.client() as client:
        client.patch("/v1/records/stations/PS-051", json={"pumps": 0}).raise_for_status()
        client.patch("/v1/records/stations/PS-051", json={"pumps": 12}).raise_for_status()
    held = []
    page.route("**/form", lambda route: held.append(route))
    page.get_by_label("Search").fill("PS-051")
    page.get_by_role("link", name="PS-051").click()
    expect(page.get_by_role("status", name="Loading the record")).to_be_visible()
    expect(page.get_by_label("Pumps")).to_have_count(0)
    held[0].continue_()
    expect(page.get_by_label("Pumps")).to_have_value("12")


def test_others_changes_are_merged_and_conflicts_chosen_side_by_side(page: Page, sample: Running) -> None:
    url = "/v1/records/stations/PS-052"
    with sample.client() as client:
        client.patch(url, json={"pumps": 1, "crest_level": 1, "capacity": 1}).raise_for_status()
    sign_in(page)
    page.goto("/c/stations/r/PS-052")
    page.get_by_label("Pumps").fill("5")
    page.get_by_label("Capacity in m³/s").fill("9")
    with sample.client() as client:
        client.patch(url, json={"pumps": 2, "crest_level": 2.5, "capacity": 3}).raise_for_status()
    page.get_by_role("button", name="Save").click()
    conflict = page.get_by_role("region", name="Conflict")
    expect(conflict).to_be_focused()
    expect(conflict.get_by_role("row", name="Pumps")).to_contain_text("Pumps125")
    expect(conflict.get_by_role("row")).to_have_count(3)
    conflict.get_by_role("radiogroup", name="Capacity").get_by_label("theirs").click()
    conflict.get_by_role("button", name="Save with these choices").click()
    expect(page.get_by_text("with what others changed meanwhile")).to_be_visible()
    expect(page.get_by_label("Pumps")).to_have_value("5")
    with sample.client() as client:
        record = client.get(url).json()
        assert (record["pumps"], record["capacity"], record["crest_level"]) == (5, 3, 2.5)
        page.get_by_label("Pumps").fill("6")
        client.patch(url, json={"crest_level": 3.5}).raise_for_status()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_label("Crest level in m")).to_have_value("3.500")
    expect(page.get_by_label("Pumps")).to_have_value("6")


def test_a_preview_shows_what_will_be_saved(page: Page) -> None:
    sign_in(page)
    page.goto("/c/stations/r/PS-054")
    sent = fields_sent(page)
    page.get_by_role("textbox", name="Name", exact=True).first.fill("Previewed Bank")
    page.get_by_role("button", name="Preview").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("→ Previewed Bank")
    expect(page.get_by_role("region", name="History").get_by_text("Previewed Bank")).to_have_count(0)
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Previewed Bank")
    assert sent == [{"name": "Previewed Bank"}]


def test_who_may_not_change_a_record_sees_it_all_the_same(page: Page) -> None:
    sign_in(page, "sample-visitor")
    expect(page.get_by_role("link", name="Landholders")).to_have_count(0)
    page.goto("/c/stations/r/PS-053")
    expect(page.get_by_text("You may read this record, and not change it.")).to_be_visible()
    expect(page.get_by_role("button", name="Save")).to_have_count(0)
    page.goto("/c/landholders/r/L0001")
    expect(page.get_by_role("heading", name="There is no L0001 here")).to_be_visible()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_label("Password")).to_be_visible()


def test_create_and_delete(page: Page) -> None:
    sign_in(page)
    page.goto("/c/watercourses")
    page.get_by_role("link", name="New watercourse").click()
    page.get_by_label("Code").fill("W88")
    page.get_by_role("button", name="Create").click()
    expect(page.get_by_text("Enter a text.", exact=True)).to_be_visible()
    expect(page.get_by_text("Choose one.", exact=True)).to_be_visible()
    expect(page.get_by_label("Name")).to_be_focused()
    expect(page.get_by_label("Name")).to_have_attribute("required", "")
    page.get_by_label("Name").fill("Browser Cut")
    page.get_by_label("Kind").click()
    page.get_by_role("option", name="dyke").click()
    page.get_by_label("Length in km").fill("0.10")
    page.get_by_role("button", name="Create").click()
    expect(page.get_by_text("Created W88.", exact=True)).to_be_visible()
    expect(page.get_by_label("Length in km")).to_have_value("0.10")
    page.get_by_role("button", name="Delete…").click()
    page.get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_text("Deleted W88. Its history is kept.", exact=True)).to_be_visible()
    expect(page.get_by_role("link", name="W88")).to_have_count(0)


def test_what_is_shown_of_a_list_stands_in_the_address_alone(page: Page) -> None:
    sign_in(page)
    page.get_by_role("link", name="Work tickets").click()
    expect(page.get_by_text(re.compile(r"^\d+ records$"))).to_be_visible()
    page.get_by_role("button", name="Priority").click()
    expect(page).to_have_url(re.compile("sort=priority"))
    page.get_by_label("Search").fill("weed")
    expect(page.get_by_text(re.compile(r"^\d+ found$"))).to_be_visible()
    expect(page.get_by_role("cell", name=re.compile(r"^PS-\d+ · ")).first).to_be_visible()
    page.get_by_role("button", name="Next").click()
    expect(page.get_by_role("status").filter(has_text="26–50")).to_be_visible()
    here, second = page.url, page.get_by_role("link", name=re.compile("^T-")).all_inner_texts()
    page.get_by_role("row").nth(3).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("T-")
    page.go_back()
    expect(page).to_have_url(here)
    expect(page.get_by_role("link", name=second[0])).to_be_visible()
    page.reload()
    expect(page.get_by_role("status").filter(has_text="26–50")).to_be_visible()
    page.get_by_role("button", name="Previous").click()
    expect(page.get_by_role("status").filter(has_text="1–25")).to_be_visible()
    page.get_by_role("row").nth(1).click()
    page.get_by_role("link", name="← Work tickets").click()
    expect(page.get_by_label("Search")).to_have_value("weed")
    page.get_by_role("link", name="Work tickets").click()
    expect(page.get_by_label("Search")).to_have_value("")
    expect(page.get_by_text(re.compile(r"^\d+ records$"))).to_be_visible()
    page.go_back()
    expect(page.get_by_label("Search")).to_have_value("weed")


def test_leaving_with_unsaved_edits_asks(page: Page) -> None:
    sign_in(page)
    page.goto("/c/stations/r/PS-055")
    page.get_by_label("Pumps").fill("9")
    page.get_by_role("link", name="← Stations").click()
    page.get_by_role("button", name="Stay").click()
    expect(page.get_by_label("Pumps")).to_have_value("9")
    page.get_by_role("link", name="Landholders").click()
    page.get_by_role("button", name="Leave").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Landholders")
    page.goto("/c/stations/r/PS-055")
    page.get_by_role("link", name="← Stations").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stations")


def test_a_reference_is_found_by_what_its_record_is_called(page: Page) -> None:
    sign_in(page)
    page.goto("/c/tickets/r/T-0060")
    inspection = page.get_by_role("combobox", name="Found at inspection")
    inspection.fill("1799")
    page.get_by_role("option", name=re.compile("^1799")).click()
    page.get_by_role("combobox", name="Station").fill("PS-077")
    page.get_by_role("option", name=re.compile("^PS-077 · ")).click()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("status").filter(has_text="Saved. T-0060")).to_be_visible()
    expect(inspection).to_have_value(re.compile("^1799"))


def test_a_phone_shows_the_content_first(page: Page) -> None:
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto("/")
    card = page.get_by_role("button", name="Sign in").bounding_box()
    assert card is not None and card["x"] >= 0 and card["x"] + card["width"] <= 390
    page.get_by_role("button", name="Use a token").click()
    page.get_by_label("Token").fill("sample-office")
    page.keyboard.press("Enter")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("Stations")
    box = heading.bounding_box()
    assert box is not None and box["y"] < 150
    page.get_by_role("button", name="Collections and account").click()
    page.get_by_role("link", name="Work tickets").click()
    expect(heading).to_contain_text("Work tickets")
    expect(page.get_by_role("navigation", name="Collections")).to_have_count(0)
    page.get_by_role("link", name="T-0001").click()
    # Every input that takes the focus lies between the bars.
    page.get_by_label("Title").focus()
    for _ in range(14):
        page.keyboard.press("Tab")
        hidden = page.evaluate(
            "() => { const at = document.activeElement; if (at.tagName !== 'INPUT' && at.tagName !== 'TEXTAREA') return false;"
            " const box = at.getBoundingClientRect(), top = document.elementFromPoint(box.x + 8, box.y + box.height / 2);"
            " return top === null || !(top === at || at.closest('form').contains(top) && !top.closest('[data-bar]')); }"
        )
        assert not hidden
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
