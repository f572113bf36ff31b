"""The web console in headless Chromium, against the sample service, as its user would work with it."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import quote

from playwright.sync_api import Page, Route, expect

from browser import sign_in, signed_in, without_fault
from fenland.client import verified
from fenland.demo.data import PASSWORD
from fenland.demo.receiver import Behaviour, ReceiverServer
from support import Running


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
    page.get_by_role("searchbox", name="Search").fill("PS-041")
    expect(page.get_by_text("1–1 of 1")).to_be_visible()
    page.get_by_role("link", name="PS-041").click()

    history = page.get_by_role("region", name="History")
    expect(history.locator("ol > li").last).to_contain_text("Ines Harrow created it")
    grown = history.locator("ol > li").count() + 1
    sent = fields_sent(page)
    save = page.get_by_role("button", name="Save")
    expect(save).to_be_disabled()
    expect(page.get_by_label("Code")).to_have_count(0)  # shown, and no input
    pumps = page.get_by_role("textbox", name="Pumps")
    pumps.fill("99")
    pumps.press("Enter")
    expect(page.get_by_text("Enter 12 or less.", exact=True)).to_be_visible()
    expect(pumps).to_have_attribute("aria-invalid", "true")
    pumps.fill("11")
    page.get_by_label("Status").click()
    page.get_by_role("option", name="maintenance").click()
    page.get_by_role("textbox", name="Name", exact=True).first.fill("Renamed Bank")
    save.click()
    expect(page.get_by_role("status").filter(has_text="Saved. PS-041 is at version")).to_be_visible()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Renamed Bank")
    expect(history.locator("ol > li")).to_have_count(grown)
    expect(history.locator("ol > li").first).to_contain_text("Ines Harrow changed")
    expect(history.locator("ol > li").first).to_contain_text("→ Renamed Bank")
    expect(history.locator("ol > li").first).to_contain_text("in the console")
    assert sent[0] == {"pumps": 99}
    assert sent[1].keys() <= {"name", "status", "pumps"}
    page.get_by_role("link", name="← Stations").click()
    page.get_by_role("searchbox", name="Search").fill("Renamed")
    expect(page.get_by_role("gridcell", name="Renamed Bank")).to_be_visible()


def test_cancel_really_cancels(page: Page) -> None:
    signed_in(page)
    sent = fields_sent(page)
    page.goto("/c/stations/r/PS-050")
    pumps = page.get_by_role("textbox", name="Pumps")
    before = pumps.input_value()
    pumps.fill("7" if before != "7" else "8")
    page.get_by_label("Starts by itself").click()
    page.get_by_role("button", name="Cancel").click()
    expect(pumps).to_have_value(before)
    expect(page.get_by_role("button", name="Save")).to_be_disabled()
    assert sent == []


def test_the_form_shows_once_its_fresh_data_is_there(page: Page, sample: Running) -> None:
    signed_in(page)
    page.goto("/c/stations/r/PS-051")
    expect(page.get_by_role("textbox", name="Pumps")).to_be_visible()
    page.get_by_role("link", name="← Stations").click()
    with sample.client() as client:
        client.patch("/v1/records/stations/PS-051", json={"pumps": 0}).raise_for_status()
        client.patch("/v1/records/stations/PS-051", json={"pumps": 12}).raise_for_status()
    held = []
    page.route("**/form", lambda route: held.append(route))
    page.get_by_role("searchbox", name="Search").fill("PS-051")
    with page.expect_request("**/form"):
        page.get_by_role("link", name="PS-051").click()
    expect(page.get_by_role("status", name="Loading the record")).to_be_visible()
    expect(page.get_by_role("textbox", name="Pumps")).to_have_count(0)
    held[0].continue_()
    expect(page.get_by_role("textbox", name="Pumps")).to_have_value("12")


def test_others_changes_are_merged_and_conflicts_chosen_side_by_side(page: Page, sample: Running) -> None:
    url = "/v1/records/stations/PS-052"
    with sample.client() as client:
        client.patch(url, json={"pumps": 1, "crest_level": 1, "capacity": 1}).raise_for_status()
    signed_in(page)
    page.goto("/c/stations/r/PS-052")
    page.get_by_role("textbox", name="Pumps").fill("5")
    page.get_by_label("Capacity in m³/s").fill("9")
    with sample.client() as client:
        client.patch(url, json={"pumps": 2, "crest_level": 2.5, "capacity": 3}).raise_for_status()
    page.get_by_role("button", name="Save").click()
    conflict = page.get_by_role("region", name="Conflict")
    expect(conflict).to_be_focused()
    expect(conflict.get_by_role("row", name="Pumps")).to_contain_text("Pumps125")
    expect(conflict.get_by_role("row")).to_have_count(3)
    decide = conflict.get_by_role("button", name="Save with these choices")
    expect(conflict.get_by_role("radio", checked=True)).to_have_count(0)
    conflict.get_by_role("radiogroup", name="Capacity").get_by_label("theirs").click()
    expect(decide).to_be_disabled()
    conflict.get_by_role("radiogroup", name="Pumps").get_by_label("mine").click()
    decide.click()
    expect(page.get_by_text("Saved. PS-052")).to_be_visible()
    expect(page.get_by_role("textbox", name="Pumps")).to_have_value("5")
    with sample.client() as client:
        record = client.get(url).json()
        assert (record["pumps"], record["capacity"], record["crest_level"]) == (5, 3, 2.5)
        page.get_by_role("textbox", name="Pumps").fill("6")
        client.patch(url, json={"crest_level": 3.5}).raise_for_status()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_label("Crest level in m")).to_have_value("3.500")
    expect(page.get_by_role("textbox", name="Pumps")).to_have_value("6")


def test_a_preview_shows_what_will_be_saved(page: Page) -> None:
    signed_in(page)
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


def test_what_is_derived_follows_while_one_types_and_nothing_is_saved(page: Page) -> None:
    signed_in(page)
    page.goto("/c/tickets?where=" + quote('state == "in hand"'))
    page.locator("tbody a").first.click()
    hours, form = page.get_by_label("Hours spent"), page.get_by_role("form", name="Record")
    sent = fields_sent(page)
    total = form.get_by_text("Total cost (worked out)").locator("..")
    hours.fill("100")
    expect(total).to_contain_text(re.compile(r"4[2-9]\d\d"))
    hours.fill("200")
    expect(total).to_contain_text(re.compile(r"[89]\d\d\d"))
    page.get_by_role("button", name="Preview").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Total cost")
    dialog.get_by_role("button", name="Back").click()
    page.get_by_role("button", name="Cancel").click()
    expect(total).not_to_contain_text(re.compile(r"[89]\d\d\d"))
    assert sent == []


def test_a_new_record_gets_the_next_number(page: Page) -> None:
    signed_in(page)
    page.goto("/c/tickets/new")
    expect(page.get_by_text("Left empty, it is filled in.")).to_have_count(1)
    page.get_by_label("Title").fill("Grease the sluice")
    page.get_by_label("Station").fill("PS-001")
    page.get_by_role("option", name="PS-001").first.click()
    page.get_by_role("button", name="Create").click()
    expect(page.get_by_role("status").filter(has_text=re.compile(r"^Created T-09\d\d\."))).to_be_visible()


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
    signed_in(page)
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
    page.get_by_role("searchbox", name="Search").fill("weed")
    expect(page.get_by_text(re.compile(r"^\d+ found$"))).to_be_visible()
    expect(page.get_by_role("gridcell", name=re.compile(r"^PS-\d+ · ")).first).to_be_visible()
    page.get_by_role("button", name="Next").click()
    expect(page.get_by_role("status").filter(has_text="26–50")).to_be_visible()
    here, second = page.url, page.get_by_role("link", name=re.compile("^T-")).all_inner_texts()
    page.get_by_role("row").nth(3).get_by_role("link").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("T-")
    page.go_back()
    expect(page).to_have_url(here)
    expect(page.get_by_role("link", name=second[0])).to_be_visible()
    page.reload()
    expect(page.get_by_role("status").filter(has_text="26–50")).to_be_visible()
    page.get_by_role("button", name="Previous").click()
    expect(page.get_by_role("status").filter(has_text="1–25")).to_be_visible()
    page.get_by_role("row").nth(1).get_by_role("link").click()
    page.get_by_role("link", name="← Work tickets").click()
    expect(page.get_by_role("searchbox", name="Search")).to_have_value("weed")
    page.get_by_role("link", name="Work tickets").click()
    expect(page.get_by_role("searchbox", name="Search")).to_have_value("")
    expect(page.get_by_text(re.compile(r"^\d+ records$"))).to_be_visible()
    page.go_back()
    expect(page.get_by_role("searchbox", name="Search")).to_have_value("weed")


def test_leaving_with_unsaved_edits_asks(page: Page) -> None:
    signed_in(page)
    page.goto("/c/stations/r/PS-055")
    page.get_by_role("textbox", name="Pumps").fill("9")
    page.get_by_role("link", name="← Stations").click()
    page.get_by_role("button", name="Stay").click()
    expect(page.get_by_role("textbox", name="Pumps")).to_have_value("9")
    page.get_by_role("link", name="Landholders").click()
    page.get_by_role("button", name="Leave").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Landholders")
    page.goto("/c/stations/r/PS-055")
    page.get_by_role("link", name="← Stations").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stations")


def test_a_reference_is_found_by_what_its_record_is_called(page: Page) -> None:
    signed_in(page)
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


# --- who may, filters, accounts ---------------------------------------------------------------------------


def sign_in_by_name(page: Page, name: str = "ines.harrow") -> None:
    page.goto("/")
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill("wrong")
    page.keyboard.press("Enter")
    expect(page.get_by_text("do not fit together")).to_be_visible()
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("navigation", name="Collections")).to_be_visible()


def test_a_session_changes_records_and_outlives_the_page_until_it_is_ended(page: Page) -> None:
    sign_in_by_name(page)
    page.goto("/c/stations/r/PS-060")
    page.get_by_role("textbox", name="Pumps").fill("6")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Saved. PS-060")).to_be_visible()
    page.reload()
    expect(page.get_by_role("textbox", name="Pumps")).to_have_value("6")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_label("Password")).to_be_visible()
    page.reload()
    expect(page.get_by_label("Password")).to_be_visible()


def test_records_are_chosen_by_a_filter_that_stands_in_the_address(page: Page) -> None:
    signed_in(page)
    page.goto("/c/stations")
    page.get_by_role("button", name="Filter").click()
    bar = page.get_by_role("region", name="Filter")
    bar.get_by_label("Field").click()
    page.get_by_role("option", name="Pumps").click()
    bar.get_by_label("Comparison").click()
    page.get_by_role("option", name="is more than").click()
    bar.get_by_label("Value").fill("3")
    bar.get_by_role("button", name="Add").click()
    expect(bar.get_by_label("Expression")).to_have_value("pumps > 3")
    expect(page.get_by_text(re.compile(r"^\d+ found$"))).to_be_visible()
    assert "where=pumps" in page.url
    bar.get_by_label("Expression").fill("pumpz > 3")
    page.keyboard.press("Enter")
    expect(bar.get_by_text("Did you mean 'pumps'?")).to_be_visible()
    bar.get_by_label("Expression").fill('pumps > 3 && area == "north"')
    page.keyboard.press("Enter")
    expect(page.get_by_text("Did you mean")).to_have_count(0)
    page.go_back()
    page.go_back()
    expect(bar.get_by_label("Expression")).to_have_value("pumps > 3")
    bar.get_by_role("button", name="Clear").click()
    expect(page.get_by_text(re.compile(r"^140 records$"))).to_be_visible()


def test_chosen_ones_are_changed_once_it_is_seen_what_that_comes_to(page: Page) -> None:
    signed_in(page)
    page.goto("/c/tickets?where=" + quote('station == "PS-070" && priority > 1'))
    page.get_by_label("Choose all on this page").click()
    page.get_by_role("button", name="Change…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Field").click()
    page.get_by_role("option", name="Priority").click()
    expect(dialog.get_by_role("button", name="Change", exact=True)).to_be_disabled()
    dialog.get_by_label("Value").fill("9")
    dialog.get_by_role("button", name="See what").click()
    expect(dialog.get_by_role("status")).to_contain_text("Must be at most 5")
    dialog.get_by_label("Value").fill("1")
    dialog.get_by_role("button", name="See what").click()
    expect(dialog.get_by_role("status")).to_contain_text("→ 1")
    dialog.get_by_role("button", name=re.compile(r"^Change \d+$")).click()
    expect(page.get_by_text("No record meets this filter.")).to_be_visible()


def test_who_may_what_is_shown_and_what_may_not_be_read_is_not_there(page: Page) -> None:
    signed_in(page, "sample-crew")
    page.goto("/c/tickets")
    page.get_by_role("link", name="Permissions").click()
    records = page.get_by_role("table", name="Records")
    expect(records.get_by_role("row", name=re.compile("^crew"))).to_contain_text("if (1)")
    page.goto("/c/tickets/r/T-0001")
    expect(page.get_by_text("You may read this record, and not change it.")).to_be_visible()
    expect(page.get_by_text("Hours spent", exact=True)).to_be_visible()
    expect(page.get_by_text("Cost of parts", exact=True)).to_have_count(0)
    page.get_by_role("button", name="Show who may").click()
    access = page.get_by_role("region", name="Access")
    expect(access.get_by_text("Change it")).to_be_visible()
    expect(access.get_by_text("collections/tickets.yaml, line 9")).to_be_visible()
    expect(access.get_by_label("For")).to_have_count(0)


def test_accounts_are_managed_and_tokens_made(page: Page) -> None:
    sign_in_by_name(page)
    page.get_by_role("link", name="Accounts").click()
    page.get_by_role("button", name="New account").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("Wren")
    dialog.get_by_label("Attributes").fill('{"area": "south"}')
    dialog.get_by_role("button", name="Save").click()
    expect(dialog.get_by_text("Must be lower-case letters")).to_be_visible()
    dialog.get_by_label("Name").fill("wren.moss")
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_text("wren.moss is added.")).to_be_visible()
    page.get_by_role("button", name="Change wren.moss").click()
    dialog.get_by_label("Disabled").click()
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_role("row", name=re.compile("wren.moss"))).to_contain_text("disabled")
    page.get_by_role("link", name="Ines Harrow").click()
    page.get_by_label("What it is for").fill("a gauge")
    page.get_by_role("button", name="New token").click()
    expect(page.get_by_text("Copy it now")).to_be_visible()
    tokens = page.get_by_role("region", name="Tokens and sessions")
    expect(tokens.get_by_text("Token · a gauge")).to_be_visible()


def test_another_system_is_told_what_changes_and_what_it_answers_is_shown(page: Page) -> None:
    sign_in(page)
    page.get_by_role("link", name="Subscriptions").click()
    expect(page.get_by_text("Nothing is sent to another system yet.")).to_be_visible()
    secrets: list[str] = []
    receiver = ReceiverServer(lambda headers, body: verified(headers, body, secrets), behaviour=Behaviour(1))
    threading.Thread(target=receiver.serve_forever, daemon=True).start()
    page.get_by_role("button", name="New subscription").click()
    page.get_by_label("Name").fill("Field Office")
    page.get_by_label("Address").fill("https://10.0.0.1/in")
    page.get_by_label("Only where").fill("hours > 1")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Must be lower-case letters")).to_be_visible()
    expect(page.get_by_text("Must not be of a network that is not public")).to_be_visible()
    expect(page.get_by_text("Must stand with one collection")).to_be_visible()
    page.get_by_label("Name").fill("field-office")
    page.get_by_label("Address").fill(receiver.address)
    page.get_by_role("combobox", name="Collections").fill("Work t")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Save").click()
    secrets.append(page.locator("code").inner_text())
    page.get_by_role("link", name="field-office").click()
    expect(page.get_by_text("Work tickets where hours > 1")).to_be_visible()
    page.get_by_role("button", name="Send a test").click()
    deliveries = page.get_by_role("region", name="Deliveries")
    expect(deliveries.get_by_text("503 · not now")).to_be_visible()
    deliveries.get_by_role("button", name="Send 1 again").click()
    expect(deliveries.get_by_text("200 · taken")).to_be_visible()
    deliveries.get_by_role("button", name="Attempts at 1").click()
    expect(deliveries.get_by_role("listitem")).to_have_count(2)
    assert [one.event["type"] for one in receiver.taken] == ["fenland.test"]
    page.get_by_role("button", name="Pause").click()
    expect(page.get_by_text("paused", exact=True)).to_be_visible()
    page.get_by_role("button", name="Remove").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove").click()
    expect(page.get_by_text("Nothing is sent to another system yet.")).to_be_visible()
    receiver.shutdown()
    receiver.server_close()


def test_notices_are_shown_newest_first_and_lead_to_their_records(page: Page) -> None:
    sign_in_by_name(page)
    page.get_by_role("link", name="Notices").click()
    rows = page.get_by_role("row")
    expect(rows).to_have_count(51)
    expect(rows.nth(1)).to_contain_text("ticket-closed")
    numbers = [int(one) for one in rows.locator("td:first-child").all_inner_texts()]
    assert numbers == sorted(numbers, reverse=True)
    page.get_by_role("button", name="Show older ones").click()
    expect(rows).to_have_count(101)
    rows.nth(1).get_by_role("link").click()
    expect(page.get_by_label("Title", exact=False).first).to_be_visible()


#: What a page of another origin tries with the session of whoever looks at it, and what must not come of it.
FOREIGN = """<!doctype html><title>elsewhere</title>
<form id=f method=post enctype=text/plain action="{service}/v1/records/stations/PS-061">
<input name='{{"pumps": 9, "x": "' value='"}}'></form>
<script>
const tried = [];
async function attempt(name, path, options) {{
  try {{
    const answer = await fetch("{service}" + path, {{credentials: "include", ...options}});
    tried.push(name + " " + answer.type + " " + answer.status);
  }} catch (error) {{ tried.push(name + " blocked"); }}
}}
async function all() {{
  const json = {{"Content-Type": "application/json"}}, text = {{"Content-Type": "text/plain"}};
  const pumps = '{{"pumps": 9}}', at = "/v1/records/stations/PS-061";
  await attempt("read", at, {{}});
  await attempt("patch", at, {{method: "PATCH", headers: json, body: pumps}});
  await attempt("override", at, {{method: "POST", mode: "no-cors", headers: text, body: pumps}});
  await attempt("override by query", at + "?method=PATCH", {{method: "POST", mode: "no-cors", headers: text, body: pumps}});
  await attempt("delete", at, {{method: "DELETE"}});
  await attempt("create", "/v1/records/stations", {{method: "POST", mode: "no-cors", headers: text, body: pumps}});
  await attempt("sign out", "/v1/session", {{method: "DELETE"}});
  await attempt("sign in", "/v1/session", {{method: "POST", mode: "no-cors", headers: text, body: "{{}}"}});
  document.title = tried.join("|");
}}
all();
</script>"""


def test_a_page_of_another_origin_can_do_nothing_with_a_session(page: Page, sample: Running) -> None:
    sign_in_by_name(page)
    cookies = page.context.cookies()
    assert [(one["httpOnly"], one["sameSite"]) for one in cookies if one["name"] == "fenland_session"] == [
        (True, "Lax")
    ]
    with sample.client() as http:
        before = http.get("/v1/records/stations/PS-061").json()
    with serving_page(FOREIGN.format(service=sample.address)) as address:
        other = page.context.new_page()
        asked: list[str] = []
        other.on("request", lambda request: asked.append(f"{request.method} {request.url}"))
        other.goto(address)
        expect(other).to_have_title(re.compile(r"sign in"))
        tried = dict(
            one.split(" ", 1) if not one.startswith("sign") else (one[:8], one[9:])
            for one in other.title().split("|")
        )
        assert tried["read"] == tried["patch"] == tried["delete"] == "blocked"
        # A plain form is sent without asking first, with the cookie, since both are of one site: it proves nothing.
        with other.expect_navigation():
            other.evaluate("document.getElementById('f').submit()")
        other.close()
    assert any(one.startswith("POST") for one in asked)
    with sample.client() as http:
        assert http.get("/v1/records/stations/PS-061").json() == before
    page.reload()
    expect(page.get_by_role("navigation", name="Collections")).to_be_visible()


@contextmanager
def serving_page(text: str) -> Iterator[str]:
    """One page, on another port of the same machine."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.send_header("Content-Type", "text/html; charset=utf-8")
            self.end_headers()
            self.wfile.write(text.encode())

        def log_message(self, *_: object) -> None:
            """Nothing."""

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}/"
    server.shutdown()
    server.server_close()


def test_a_list_is_saved_as_a_file(page: Page) -> None:
    signed_in(page)
    page.goto("/c/stations?where=" + quote('code.startsWith("PS-00")') + "&sort=-code")
    expect(page.get_by_role("grid")).to_contain_text("PS-009")
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as waiting:
        page.get_by_role("menuitem", name="CSV").click()
    assert waiting.value.suggested_filename == "stations.csv"
    lines = waiting.value.path().read_text().splitlines()
    assert [line.split(",")[6] for line in lines] == [
        "code",
        *(f"PS-00{number}" for number in range(9, 0, -1)),
    ]


def test_rows_of_a_file_are_matched_looked_at_and_brought_in(page: Page, sample: Running) -> None:
    signed_in(page)
    page.goto("/c/landholders")
    page.get_by_role("link", name="Import").click()
    text = "Number,NAME,Telephone,Remarks\nL7701,Wren Ousel,0555 1,x\nL7702,,0555 2,\nbad,Wilf Ousel,,\n"
    text += "L7701,Wren Ousel,0555 3,\n"
    choose = page.get_by_label("File")
    choose.set_input_files({"name": "notes.txt", "mimeType": "text/plain", "buffer": b"x"})
    expect(page.get_by_role("alert")).to_contain_text("must end in .csv, .xlsx or .jsonl")
    choose.set_input_files({"name": "new.csv", "mimeType": "text/csv", "buffer": text.encode()})
    bring = page.get_by_role("button", name="Import the file")
    expect(bring).to_be_disabled()
    for column, field in (("Telephone", "Phone"), ("Remarks", "none")):
        page.get_by_label(f"Field for {column}").click()
        page.get_by_role("option", name=field).click()
    expect(bring).to_be_enabled()
    told = page.get_by_role("status")
    expect(told).to_contain_text(
        "Of 4 rows, 1 would be created, 1 would be brought up to date, 2 would be refused"
    )
    expect(page.get_by_text("Row 5 is of the same record as row 2.")).to_be_visible()
    refused = page.get_by_role("table", name="Refused rows")
    expect(refused.get_by_role("row").nth(1)).to_contain_text("3NAMEEnter a text.")
    expect(refused.get_by_role("row").nth(2)).to_contain_text("4Number")
    with sample.client() as http:
        assert http.get("/v1/records/landholders/L7701").status_code == 404
        bring.click()
        outcome = page.get_by_role("alert").filter(
            has_text="Of 4 rows, 1 was created, 1 was brought up to date, 2 were refused."
        )
        expect(outcome).to_be_focused()
        assert http.get("/v1/records/landholders/L7701").json()["phone"] == "0555 3"
        with page.expect_download() as saved:
            page.get_by_role("button", name="Save the refused rows").click()
        assert saved.value.suggested_filename == "new.refused.csv"
        kept = saved.value.path().read_text()
        assert kept.startswith("_row,Number,NAME,Telephone,Remarks,_reason\n3,L7702,,0555 2,,")
        page.get_by_role("button", name="Undo this import").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("L7701 is deleted")
        dialog.get_by_role("button", name="Undo", exact=True).click()
        expect(page.get_by_text(re.compile("^Undone: "))).to_be_visible()
        assert http.get("/v1/records/landholders/L7701").status_code == 404
    # Corrected, it comes in; its notes are no columns of anything.
    mended = kept.replace("L7702,", "L7702,Ida Ousel").replace("bad,", "L7703,").encode()
    choose.set_input_files({"name": "new.refused.csv", "mimeType": "text/csv", "buffer": mended})
    expect(page.get_by_role("status").first).to_contain_text("2 would be created")


# --- the past ------------------------------------------------------------------------------------------


def test_a_timeline_tells_what_differs_and_leads_back(page: Page, sample: Running) -> None:
    sign_in(page)
    with sample.client() as http:
        words = "No reading has come in since the storm; the aerial was bent."
        first = {
            "description": "No reading has come in since the storm; somebody should look.",
            "parts": ["fuse"],
        }
        http.patch("/v1/records/tickets/T-0081", json=first).raise_for_status()
        http.patch(
            "/v1/records/tickets/T-0081", json={"description": words, "parts": ["cable"]}
        ).raise_for_status()
    page.goto("/c/tickets/r/T-0081")
    history = page.get_by_role("region", name="History")
    newest = history.locator("ol > li").filter(has_text="Ines Harrow changed").first
    expect(newest.locator("ins").first).to_have_text("the aerial was bent.")
    expect(newest.locator("del").first).to_have_text("somebody should look.")
    expect(newest.locator("ins").last).to_have_text("cable")
    history.get_by_label("Field").click()
    page.get_by_role("option", name="Parts", exact=True).click()
    expect(history.get_by_text("parts:")).to_have_count(2)
    # The older of both is in conflict, and says with what.
    history.get_by_role("button", name="Undo…").nth(1).click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("changed again since")).to_be_visible()
    expect(dialog.get_by_text("Parts: now cable")).to_be_visible()
    expect(dialog.get_by_role("button", name="Undo", exact=True)).to_be_disabled()
    dialog.get_by_role("button", name="Back").click()
    history.get_by_role("button", name="Undo…").first.click()
    dialog.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("Undone: one save.")).to_be_visible()
    expect(page.get_by_label("Description")).to_have_value(first["description"])
    history.get_by_role("link", name="Compare versions").click()
    expect(page.get_by_role("heading", name="T-0081: two versions side by side")).to_be_visible()
    page.get_by_label("Version", exact=True).fill("1")
    expect(page.get_by_role("row", name=re.compile("^Parts"))).to_contain_text("fuse")
    page.goto("/c/tickets/r/T-0081/past?version=1")
    page.get_by_role("button", name="Go back to version 1…").click()
    expect(dialog.get_by_text("Parts:")).to_be_visible()
    dialog.get_by_role("button", name="Go back", exact=True).click()
    expect(page.get_by_text("T-0081 is back, at version")).to_be_visible()
    expect(history.get_by_text("back to version 1")).to_be_visible()


def test_a_deleted_record_is_found_and_brought_back(page: Page) -> None:
    signed_in(page)
    page.goto("/c/tickets/r/T-0082")
    page.get_by_role("button", name="Delete…").click()
    page.get_by_role("dialog").get_by_role("button", name=re.compile("Delete")).last.click()
    expect(page.get_by_role("grid")).to_be_visible()
    page.goto("/c/tickets/r/T-0082")
    expect(page.get_by_text("It was there, and was deleted.")).to_be_visible()
    page.get_by_role("button", name="Bring it back…").click()
    page.get_by_role("dialog").get_by_role("button", name="Bring it back", exact=True).click()
    expect(page.get_by_text("T-0082 is back, at version")).to_be_visible()
    expect(page.get_by_role("button", name="Delete…")).to_be_visible()


def _forging(old: str, new: str) -> Callable[[Route], None]:
    """Has an answer changed on its way."""

    def forge(route: Route) -> None:
        answer = route.fetch()
        assert old in answer.text()
        route.fulfill(response=answer, body=answer.text().replace(old, new))

    return forge


def test_a_proof_that_is_asked_for_at_once_is_shown_when_the_history_comes(page: Page) -> None:
    """However late the history itself is: nothing that was pressed is forgotten."""
    signed_in(page)
    waiting: list[Route] = []
    page.route(
        re.compile(r"/r/PS-023|/PS-023/history\?"),
        lambda route: waiting.append(route) if "/v1/" in route.request.url else route.continue_(),
    )
    page.goto("/c/stations/r/PS-023")
    button = page.get_by_role("button", name="Check the proof")
    expect(button).to_be_disabled()
    while not waiting:
        page.wait_for_timeout(20)
    for route in waiting:
        route.continue_()
    button.click()
    expect(page.get_by_text("Proved here")).to_be_visible()


def test_a_proof_is_checked_in_the_browser_and_a_forged_one_is_not_believed(page: Page) -> None:
    signed_in(page)
    page.goto("/c/stations/r/PS-021")
    page.get_by_role("button", name="Check the proof").click()
    expect(page.get_by_text(re.compile(r"Proved here: all \d+ entries stand unchanged"))).to_be_visible()
    expect(page.get_by_text("cannot check the signature")).to_have_count(0)
    with page.expect_download() as saved:
        page.get_by_role("button", name="Evidence file").click()
    assert saved.value.suggested_filename == "stations-PS-021.evidence.json"
    station, landholder = "/c/stations/r/PS-021", "/c/landholders/r/L0022"
    for record, old, new, words in (
        (station, '"actor":"', '"actor":"x', "is not what its hash says"),
        (station, '"path":["', '"path":["00', "is not under the head"),
        (station, '"x":"', '"x":"AA', "signature"),
        (
            station,
            '"fenland-evidence-1","collection":"stations","id":"',
            '"fenland-evidence-1","collection":"stations","id":"9',
            "of another record",
        ),
        (landholder, '"salt":"', '"salt":"00', "is not what was sealed"),
    ):
        page.route("**/history/evidence", _forging(old, new))
        page.goto(record)
        page.get_by_role("button", name="Check the proof").click()
        expect(
            page.get_by_text("This history does not fit its proof.").or_(page.get_by_text("cannot check"))
        ).to_be_visible()
        expect(page.get_by_role("alert").filter(has_text=words)).to_be_visible()
        page.unroute("**/history/evidence")


def test_values_are_erased_once_somebody_has_said_which_why_and_that_they_mean_it(page: Page) -> None:
    signed_in(page)
    page.goto("/c/landholders/r/L0021")
    page.get_by_role("button", name="Erase…").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("Nobody can bring it back")).to_be_visible()
    erase = dialog.get_by_role("button", name="Erase for good")
    dialog.get_by_label("Phone").check()
    dialog.get_by_label("Why").fill("Asked to be forgotten")
    expect(erase).to_be_disabled()
    dialog.get_by_label("Type L0021 to confirm").fill("L0021")
    erase.click()
    expect(page.get_by_text("Erased for good from L0021.")).to_be_visible()
    expect(page.get_by_role("textbox", name="Phone")).to_have_value("")
    expect(page.get_by_role("region", name="History").get_by_text("phone: erased for good")).to_be_visible()


def test_activity_is_narrowed_down_pictured_and_undone_together(page: Page, sample: Running) -> None:
    sign_in(page)
    with sample.client() as http:
        items = [
            {"action": "update", "collection": "stations", "key": f"PS-03{n}", "fields": {"pumps": 3}}
            for n in range(3)
        ]
        items = [{**one, "fields": {"access_notes": "By the north gate."}} for one in items]
        http.post("/v1/batch", json={"items": items}).raise_for_status()
    page.get_by_role("link", name="Activity").click()
    expect(page.get_by_role("heading", name="Changes day by day")).to_be_visible()
    expect(page.locator("svg rect, svg path").first).to_be_visible()
    page.get_by_role("button", name="Who").click()
    expect(page.get_by_text("ines.harrow").first).to_be_visible()
    page.get_by_label("Condition").fill('after.access_notes == "By the north gate."')
    page.get_by_role("button", name="Search").click()
    # The page may still show everything, with other batches.
    expect(page.get_by_text("changes together")).to_have_count(1)
    expect(page.get_by_text("3 changes together")).to_be_visible()
    page.get_by_role("button", name="Undo all…").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("PS-031")).to_be_visible()
    dialog.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("Undone: 3 changes.")).to_be_visible()
    page.get_by_label("Condition").fill("oops")
    page.get_by_role("button", name="Search").click()
    expect(page.get_by_role("alert").filter(has_text="oops").first).to_be_visible()
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto("/activity?action=sign_in")
    expect(page.get_by_text("signed in").first).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_how_to_call_it_is_copied_and_is_so(page: Page, sample: Running) -> None:
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    signed_in(page)
    page.goto("/c/watercourses")
    page.get_by_role("link", name="Permissions").click()
    page.get_by_role("link", name="How to call it").click()
    adding = page.get_by_role("region", name="Add a watercourse")
    expect(adding).to_contain_text("id=&code={code}&name={name}")
    page.get_by_label("The tool sends").click()
    page.get_by_role("option", name="JSON in which all values are texts").click()
    expect(adding).to_contain_text('"code": "{code}"')
    expect(page).to_have_url(re.compile("way=texts"))
    page.get_by_role("region", name="Watercourses, a page").get_by_role(
        "button", name="Copy the address"
    ).click()
    expect(page.get_by_text("Copied: the address.")).to_be_visible()
    address = page.evaluate("navigator.clipboard.readText()")
    assert address.startswith(f"{sample.address}/v1/records/watercourses?")
    with sample.client() as http:
        assert http.get(address.replace("{page}", "1")).json()["items"]


def test_a_part_that_cannot_be_loaded_is_told_and_loaded_again(page: Page) -> None:
    """As after the service was brought up to date while somebody had the console open."""
    sign_in(page)
    page.route(re.compile("/assets/ActivityPage"), lambda route: route.abort())
    page.get_by_role("link", name="Activity").click()
    expect(page.get_by_role("heading", name="This page cannot be shown")).to_be_visible()
    without_fault(page)
    page.unroute(re.compile("/assets/ActivityPage"))
    page.get_by_role("button", name="Load it again").click()
    expect(page.get_by_role("heading", name="Activity")).to_be_visible()
