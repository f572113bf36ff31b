"""Editing where the list is: cells in place, by keyboard and by touch, refused, in conflict, and taken back."""

from __future__ import annotations

import random
import re
from typing import Any, Literal

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from browser import come_to_rest, signed_in, without_fault
from support import NIGHTLY, Running

#: Of those that other tests leave alone.
LIST = "/c/tickets?where=" + "number > 'T-0700' %26%26 number < 'T-0708'" + "&sort=number"
COLUMNS = ["number", "title", "station", "state", "priority", "assignee", "due_on"]
NUMBERS = [f"T-070{number}" for number in range(1, 8)]


def cell(page: Page, number: str, name: str) -> Locator:
    row = page.get_by_role("row", name=re.compile(f"{number} "))
    return row.get_by_role("gridcell").nth(COLUMNS.index(name) + 1)


def opened(page: Page, token: str = "sample-office") -> None:
    signed_in(page, token)
    page.goto(LIST)
    expect(page.get_by_role("gridcell").first).to_be_visible()


def stored(sample: Running, number: str) -> dict[str, Any]:
    with sample.client() as http:
        found: dict[str, Any] = http.get(f"/v1/records/tickets/{number}").raise_for_status().json()
        return found


def change(sample: Running, number: str, **fields: Any) -> None:
    with sample.client() as http:
        http.patch(f"/v1/records/tickets/{number}", json=fields).raise_for_status()


def test_cells_are_edited_by_keyboard_alone(page: Page, sample: Running) -> None:
    for number in NUMBERS:
        change(sample, number, priority=3, state="open", title="Clear the weed screen")
    opened(page)
    page.get_by_role("link", name="T-0701").focus()
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    expect(cell(page, "T-0701", "priority")).to_be_focused()
    page.keyboard.press("Enter")
    priority = page.get_by_role("textbox", name="Priority")
    expect(priority).to_be_focused()
    page.keyboard.type("1")
    # Down, where the next one waits for a key.
    page.keyboard.press("Enter")
    expect(cell(page, "T-0702", "priority")).to_be_focused()
    page.keyboard.type("2")
    expect(priority).to_have_value("2")
    page.keyboard.press("Shift+Tab")
    expect(cell(page, "T-0702", "state")).to_be_focused()
    expect(cell(page, "T-0702", "priority")).to_have_text("2")
    # What is typed of a choice is that choice, wherever one goes on to.
    page.keyboard.press("F2")
    expect(page.get_by_role("combobox", name="State")).to_be_focused()
    page.keyboard.type("wait")
    page.keyboard.press("Tab")
    expect(cell(page, "T-0702", "priority")).to_be_focused()
    expect(cell(page, "T-0702", "state")).to_have_text("waiting for parts")
    page.keyboard.press("Home")
    expect(page.get_by_label("Choose T-0702")).to_be_focused()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("F2")
    page.get_by_role("textbox", name="Title").fill("Never mind")
    page.keyboard.press("Escape")
    expect(cell(page, "T-0702", "title")).to_be_focused()
    expect(page.get_by_role("textbox", name="Title")).to_have_count(0)
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("F2")
    expect(page.get_by_text("Number is set when a record is made, and stays.")).to_be_visible()
    assert cell(page, "T-0702", "number").get_attribute("aria-readonly") == "true"
    one, two = stored(sample, "T-0701"), stored(sample, "T-0702")
    assert (one["priority"], two["priority"], two["state"]) == (1, 2, "waiting for parts")
    assert two["title"] == "Clear the weed screen"
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/c/tickets/r/T-0702$"))


def test_a_choice_that_nothing_matches_is_not_lost_unsaid(page: Page, sample: Running) -> None:
    before = stored(sample, "T-0707")["station"]
    opened(page)
    cell(page, "T-0707", "station").dblclick()
    station = page.get_by_role("combobox", name="Station")
    station.fill("Nowhere at all")
    expect(page.get_by_text("Nothing matches “Nowhere at all”.")).to_be_visible()
    page.keyboard.press("Tab")
    expect(page.get_by_text("Nothing matches “Nowhere at all”. Choose one that is offered.")).to_be_visible()
    expect(station).to_be_focused()
    station.fill("PS-014")
    page.get_by_role("option", name="PS-014").click()
    expect(cell(page, "T-0707", "station")).to_contain_text("PS-014 · ")
    assert stored(sample, "T-0707")["station"] == "PS-014"
    change(sample, "T-0707", station=before)


def test_a_refused_value_stays_wherever_the_list_goes(page: Page, sample: Running) -> None:
    change(sample, "T-0703", priority=3)
    opened(page)
    cell(page, "T-0703", "priority").dblclick()
    page.get_by_role("textbox", name="Priority").fill("77")
    # Elsewhere: that is meant to be saved.
    page.get_by_role("heading", level=1).click()
    refused = page.get_by_role("status").filter(has_text="One value is not saved")
    expect(refused).to_contain_text("T-0703, Priority: “77”. Enter 5 or less.")
    expect(cell(page, "T-0703", "priority")).to_have_text("77")
    assert cell(page, "T-0703", "priority").get_attribute("aria-invalid") == "true"
    # Its row is not there any more; what was typed is, and can be put right from there.
    page.get_by_role("searchbox", name="Search").fill("nothing like this")
    expect(page.get_by_text("No record meets this filter.")).to_be_visible()
    expect(refused).to_contain_text("“77”")
    page.get_by_role("link", name="Stations").click()
    page.get_by_role("dialog").get_by_role("button", name="Stay").click()
    refused.get_by_role("button", name="Correct it").click()
    page.get_by_role("textbox", name="Priority").fill("4")
    page.keyboard.press("Enter")
    expect(refused).to_have_count(0)
    assert stored(sample, "T-0703")["priority"] == 4


def test_what_others_change_meanwhile_is_kept_or_told(page: Page, sample: Running) -> None:
    change(sample, "T-0704", title="Grease the sluice gate", priority=3)
    opened(page)
    cell(page, "T-0704", "title").dblclick()
    title = page.get_by_role("textbox", name="Title")
    expect(title).to_be_focused()
    change(sample, "T-0704", priority=1)
    title.fill("Grease both gates")
    page.keyboard.press("Enter")
    expect(cell(page, "T-0704", "title")).to_have_text("Grease both gates")
    assert stored(sample, "T-0704")["priority"] == 1
    cell(page, "T-0704", "title").dblclick()
    expect(title).to_be_focused()
    change(sample, "T-0704", title="Grease the north gate")
    title.fill("Grease the south gate")
    page.keyboard.press("Enter")
    refused = page.get_by_role("status").filter(has_text="One value is not saved")
    expect(refused).to_contain_text("Others changed this to Grease the north gate meanwhile.")
    assert stored(sample, "T-0704")["title"] == "Grease the north gate"
    refused.get_by_role("button", name="Correct it").click()
    expect(title).to_have_value("Grease the south gate")
    page.keyboard.press("Enter")
    expect(refused).to_have_count(0)
    assert stored(sample, "T-0704")["title"] == "Grease the south gate"


def test_a_long_text_has_lines_of_its_own_in_a_cell_too(page: Page, sample: Running) -> None:
    signed_in(page)
    page.goto("/c/inspections?where=number == 31")
    findings = page.get_by_role("gridcell").last
    findings.dblclick()
    text = page.get_by_role("textbox", name="Findings")
    text.fill("Weed at the screen")
    page.keyboard.press("Enter")
    page.keyboard.type("Gate is dry")
    expect(text).to_have_value("Weed at the screen\nGate is dry")
    page.keyboard.press("Control+Enter")
    expect(text).to_have_count(0)
    expect(page.get_by_role("status").filter(has_text="Saved: Findings of 31")).to_be_visible()
    with sample.client() as http:
        assert http.get("/v1/records/inspections/31").json()["findings"] == "Weed at the screen\nGate is dry"


def test_a_save_is_taken_back_from_its_message(page: Page, sample: Running) -> None:
    change(sample, "T-0705", title="Survey bank slip")
    opened(page)
    cell(page, "T-0705", "title").dblclick()
    page.get_by_role("textbox", name="Title").fill("Survey all banks")
    page.keyboard.press("Enter")
    page.get_by_role("status").filter(has_text="Saved: Title of T-0705").get_by_role(
        "button", name="Undo"
    ).click()
    expect(page.get_by_text("Undone: T-0705 is as it was before.")).to_be_visible()
    expect(cell(page, "T-0705", "title")).to_have_text("Survey bank slip")
    assert stored(sample, "T-0705")["title"] == "Survey bank slip"


def test_cells_that_are_not_ones_own_look_so_and_are_not_entered(page: Page, sample: Running) -> None:
    with sample.client() as http:
        form = http.get("/v1/records/tickets/T-0706", headers={"Authorization": "Bearer sample-visitor"})
    assert form.status_code == 200
    opened(page, "sample-visitor")
    title = cell(page, "T-0706", "title")
    assert title.get_attribute("aria-readonly") == "true"
    title.dblclick()
    expect(page.get_by_text("You may read this record, and not change it.")).to_be_visible()
    expect(page.get_by_role("textbox", name="Title")).to_have_count(0)


def test_rows_are_chosen_by_keyboard_changed_deleted_and_taken_back(page: Page, sample: Running) -> None:
    for number in NUMBERS:
        change(sample, number, priority=3)
    opened(page)
    bar = page.get_by_role("region", name="Chosen")
    page.get_by_role("link", name="T-0702").focus()
    page.keyboard.press("Space")
    expect(bar).to_contain_text("1 chosen")
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Shift+ArrowDown")
    expect(bar).to_contain_text("3 chosen")
    page.keyboard.press("Space")
    expect(bar).to_contain_text("2 chosen")
    expect(page.get_by_role("row", name=re.compile("T-0703 "))).to_have_attribute("aria-selected", "true")
    bar.get_by_role("button", name="Change…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Field").click()
    page.get_by_role("option", name="Priority").click()
    dialog.get_by_label("Value").fill("5")
    dialog.get_by_role("button", name="See what would happen").click()
    expect(dialog).to_contain_text("2 of 2 would be changed.")
    dialog.get_by_role("button", name="Change 2").click()
    told = page.get_by_role("status").filter(has_text="2 of 2 records are changed")
    expect(told).to_be_visible()
    assert [stored(sample, number)["priority"] for number in NUMBERS[:4]] == [3, 5, 5, 3]
    told.get_by_role("button", name="Undo").click()
    expect(cell(page, "T-0703", "priority")).to_have_text("3")
    # Still chosen: what was done to them is something else than which they are.
    bar.get_by_role("button", name="Delete…").click()
    expect(dialog).to_contain_text("2 of 2 would be deleted.")
    dialog.get_by_role("button", name="Delete 2").click()
    expect(page.get_by_role("row", name=re.compile("T-0703 "))).to_have_count(0)
    expect(bar).to_have_count(0)
    gone = page.get_by_role("status").filter(has_text="Deleted 2 of 2")
    gone.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Undone: 2 changes.")).to_be_visible()
    assert stored(sample, "T-0703")["priority"] == 3


def test_all_found_are_chosen_on_whichever_page(page: Page, sample: Running) -> None:
    signed_in(page)
    page.goto("/c/tickets?where=" + "number > 'T-0800' %26%26 number < 'T-0840'" + "&sort=number")
    page.get_by_label("Choose all on this page").click()
    bar = page.get_by_role("region", name="Chosen")
    expect(bar).to_contain_text("25 chosen")
    page.get_by_role("button", name="Next").click()
    expect(page.get_by_role("link", name="T-0839")).to_be_visible()
    page.get_by_label("Choose T-0839").click()
    expect(bar).to_contain_text("26 chosen")
    bar.get_by_role("button", name="Choose all 39 found").click()
    expect(bar).to_contain_text("39 chosen")
    expect(page.get_by_label("Choose T-0830")).to_be_checked()
    bar.get_by_role("button", name="Delete…").click()
    expect(page.get_by_role("dialog")).to_contain_text("39 of 39 would be deleted.")
    page.get_by_role("button", name="Keep them").click()
    with page.expect_download() as saved:
        bar.get_by_role("button", name="Export chosen").click()
        page.get_by_role("menuitem", name="CSV").click()
    assert len(saved.value.path().read_text().splitlines()) == 40
    bar.get_by_role("button", name="Choose none").click()
    expect(bar).to_have_count(0)


def test_on_a_phone_values_are_edited_in_their_cards(page: Page, sample: Running) -> None:
    change(sample, "T-0706", priority=3)
    page.set_viewport_size({"width": 390, "height": 780})
    signed_in(page)
    page.goto(LIST)
    card = page.get_by_role("listitem").filter(has_text="T-0706")
    value = card.get_by_role("button", name="Priority: 3. Edit")
    value.click()
    page.get_by_role("textbox", name="Priority").fill("9")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").filter(has_text="One value is not saved")).to_contain_text("5 or less")
    card.get_by_role("button", name="Priority: 9. Edit").click()
    page.get_by_role("textbox", name="Priority").fill("2")
    page.keyboard.press("Enter")
    expect(card.get_by_role("button", name="Priority: 2. Edit")).to_be_focused()
    assert stored(sample, "T-0706")["priority"] == 2
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


@pytest.mark.parametrize("seed", range(6 if NIGHTLY else 1))
def test_whatever_is_typed_is_stored_or_said_to_be_unsaved(page: Page, sample: Running, seed: int) -> None:
    """Random edits, refusals and changes of others: in the end the list shows what is stored, and what is not."""
    dice = random.Random(seed)
    opened(page)
    typed: dict[tuple[str, str], str] = {}
    for step in range(14):
        number = dice.choice(NUMBERS)
        if dice.random() < 0.3:
            change(
                sample, number, **dice.choice([{"priority": dice.randint(1, 5)}, {"title": f"Theirs {step}"}])
            )
            continue
        name, value = dice.choice(
            [
                ("title", f"Ours {step}"),
                ("title", "x"),
                ("priority", str(dice.randint(1, 5))),
                ("priority", "8"),
            ]
        )
        cell(page, number, name).dblclick()
        box = page.get_by_role("textbox", name=name.capitalize())
        box.fill(value)
        page.keyboard.press(dice.choice(["Enter", "Tab"]))
        expect(box).to_have_count(0)
        typed[number, name] = value
    come_to_rest(page)
    refused = page.get_by_role("status").filter(has_text="not saved")
    told = refused.all_inner_texts()
    for (number, name), value in typed.items():
        unsaved = f"{number}, {name.capitalize()}" in " ".join(told)
        assert unsaved == (cell(page, number, name).get_attribute("aria-invalid") == "true")
        if unsaved:
            expect(cell(page, number, name)).to_have_text(value)
            continue
        # Saved it was, whatever others made of it since.
        with sample.client() as http:
            entries = http.get(f"/v1/records/tickets/{number}/history").json()["items"]
        after = [str(one["changes"][name]["after"]) for one in entries if name in one["changes"]]
        assert value in after, (number, name, value, after)
    # Once nothing is unsaved any more, the list shows what is stored.
    while page.get_by_role("button", name="Take it back").count():
        page.get_by_role("button", name="Take it back").first.click()
    for number in NUMBERS:
        record = stored(sample, number)
        expect(cell(page, number, "title")).to_have_text(record["title"])
        expect(cell(page, number, "priority")).to_have_text(str(record["priority"]))


def test_rows_are_added_above_the_list_one_after_the_other(page: Page, sample: Running) -> None:
    opened(page)
    page.get_by_role("button", name="Add a row").click()
    row = page.get_by_role("region", name="New work ticket")
    expect(row.get_by_label("Number")).to_be_focused()
    row.get_by_label("Title").fill("x")
    page.keyboard.press("Enter")
    expect(row).to_contain_text("Enter at least 4 characters.")
    expect(row.get_by_label("Title")).to_have_value("x")
    for title in ("First of two", "Second of two"):
        row.get_by_label("Title").fill(title)
        row.get_by_role("combobox", name="Station").fill("PS-014")
        page.get_by_role("option", name="PS-014").click()
        page.keyboard.press("Enter")
        expect(page.get_by_role("status").filter(has_text="Created T-")).to_be_visible()
        expect(row.get_by_label("Title")).to_have_value("")
    with sample.client() as http:
        found = http.get("/v1/records/tickets?where=title.endsWith(' of two')").json()["items"]
        assert [one["title"] for one in found] == ["First of two", "Second of two"]
        told = page.get_by_role("status").filter(has_text=f"Created {found[1]['number']}")
        told.get_by_role("button", name="Undo").click()
        expect(page.get_by_text(f"Undone: {found[1]['number']} is not there any more.")).to_be_visible()
        assert http.get(f"/v1/records/tickets/{found[1]['number']}").status_code == 404
        http.delete(f"/v1/records/tickets/{found[0]['number']}").raise_for_status()
    page.keyboard.press("Escape")


def test_whatever_a_record_page_does_is_taken_back_from_its_message(page: Page, sample: Running) -> None:
    change(sample, "T-0720", hours=2)
    signed_in(page)
    page.goto("/c/tickets/r/T-0720")
    hours = page.get_by_label("Hours spent")
    hours.fill("3")
    page.get_by_role("button", name="Save").click()
    saved = page.get_by_role("status").filter(has_text="Saved. T-0720 is at version")
    saved.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Undone: T-0720 is as it was before.")).to_be_visible()
    expect(hours).to_have_value("2.00")
    assert stored(sample, "T-0720")["hours"] == 2
    page.get_by_role("button", name="Delete…").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete", exact=True).click()
    gone = page.get_by_role("status").filter(has_text="Deleted T-0720.")
    gone.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("T-0720 is back.")).to_be_visible()
    assert stored(sample, "T-0720")["hours"] == 2


def test_a_save_that_changed_nothing_takes_back_nothing(page: Page, sample: Running) -> None:
    """Somebody else saved the very same: undoing one's own save is not to undo theirs."""
    change(sample, "T-0730", priority=3)
    signed_in(page)
    page.goto("/c/tickets?where=number == 'T-0730'")
    cell(page, "T-0730", "priority").dblclick()
    expect(page.get_by_role("textbox", name="Priority")).to_be_focused()
    change(sample, "T-0730", priority=4)
    page.keyboard.type("4")
    page.keyboard.press("Enter")
    told = page.get_by_role("status").filter(has_text="Saved: Priority of T-0730")
    told.get_by_role("button", name="Undo").click()
    expect(
        page.get_by_text("Nothing of T-0730 was changed by that, so there is nothing to take back.")
    ).to_be_visible()
    assert stored(sample, "T-0730")["priority"] == 4


def test_rows_between_two_are_chosen_with_shift_by_pointer_too(page: Page) -> None:
    opened(page)
    bar = page.get_by_role("region", name="Chosen")
    page.get_by_label("Choose T-0702").click()
    page.get_by_label("Choose T-0705").click(modifiers=["Shift"])
    expect(bar).to_contain_text("4 chosen")
    page.get_by_label("Choose T-0704").click()
    expect(bar).to_contain_text("3 chosen")
    page.get_by_label("Choose T-0701").click(modifiers=["Shift"])
    expect(bar).to_contain_text("5 chosen")
    # While all are chosen there is none to leave out: that would be another list.
    page.get_by_role("link", name="T-0706").focus()
    bar.get_by_role("button", name="Choose all 7 found").click()
    expect(bar).to_contain_text("7 chosen")
    expect(page.get_by_label("Choose T-0703")).to_be_disabled()
    cell(page, "T-0703", "title").click()
    page.keyboard.press("Space")
    expect(bar).to_contain_text("7 chosen")


def test_a_row_that_is_begun_and_a_refused_cell_are_both_kept(page: Page, sample: Running) -> None:
    change(sample, "T-0703", priority=3)
    opened(page)
    page.get_by_role("button", name="Add a row").click()
    row = page.get_by_role("region", name="New work ticket")
    row.get_by_label("Title").fill("Begun")
    cell(page, "T-0703", "priority").dblclick()
    # Of both inputs, the one over the cell.
    page.get_by_role("dialog", name="Priority of T-0703").get_by_role("textbox").fill("77")
    page.keyboard.press("Enter")
    refused = page.get_by_role("status").filter(has_text="One value is not saved")
    expect(refused).to_be_visible()
    # Another part of the list keeps both, and asks nothing.
    page.get_by_role("button", name="Due on").click()
    expect(page).to_have_url(re.compile("sort=due_on"))
    expect(row.get_by_label("Title")).to_have_value("Begun")
    expect(refused).to_be_visible()
    leaving = page.get_by_role("dialog", name="Leave without saving?")
    page.keyboard.press("Escape")
    for settle in (
        lambda: refused.get_by_role("button", name="Take it back").click(),
        lambda: row.get_by_label("Title").fill(""),
    ):
        page.get_by_role("link", name="Stations").click()
        leaving.get_by_role("button", name="Stay").click()
        settle()
    page.get_by_role("link", name="Stations").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stations")


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("width", [1280, 390])
def test_lists_have_no_fault_whatever_is_done_in_them(
    page: Page, sample: Running, scheme: Literal["light", "dark"], width: int
) -> None:
    change(sample, "T-0704", priority=3)
    page.set_viewport_size({"width": width, "height": 800})
    page.emulate_media(color_scheme=scheme, reduced_motion="reduce")

    signed_in(page)
    page.goto(LIST)
    value = (
        cell(page, "T-0704", "priority")
        if width > 1000
        else page.get_by_role("listitem").filter(has_text="T-0704").get_by_role("button", name="Priority")
    )
    value.dblclick()
    box = page.get_by_role("textbox", name="Priority")
    expect(box).to_be_focused()
    come_to_rest(page)
    without_fault(page)
    box.fill("9")
    page.keyboard.press("Enter")
    expect(page.get_by_text("One value is not saved")).to_be_visible()
    page.get_by_label("Choose T-0702").click()
    expect(page.get_by_role("region", name="Chosen")).to_be_visible()
    come_to_rest(page)
    without_fault(page)
    if width > 1000:
        page.get_by_role("button", name="Add a row").click()
        expect(page.get_by_role("region", name="New work ticket").get_by_label("Title")).to_be_visible()
        come_to_rest(page)
        without_fault(page)
    page.get_by_role("button", name="Take it back").click()
    page.goto("/c/tickets/calls")
    expect(page.get_by_role("region", name="Add a work ticket")).to_be_visible()
    come_to_rest(page)
    without_fault(page)


def paste(page: Page, text: str) -> None:
    """As Ctrl+V does of what a spreadsheet has copied."""
    page.evaluate(
        """(text) => {
          const data = new DataTransfer();
          data.setData("text/plain", text);
          const event = new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true });
          document.activeElement.dispatchEvent(event);
        }""",
        text,
    )


def test_cells_are_pasted_over_several_rows_seen_before_and_undone_as_one(
    page: Page, sample: Running
) -> None:
    for number in NUMBERS:
        change(sample, number, priority=3, state="open", title="Clear the weed screen", due_on="2031-04-09")
    opened(page)
    cell(page, "T-0702", "title").click()
    # A key is closed, a choice is meant however it is written, and what stands there already is no change.
    paste(page, "Grease it\tPS-001\tIN HAND\t1\nClear the weed screen\tPS-999\topen\t9\nOil it\n")
    dialog = page.get_by_role("dialog", name=re.compile("^Paste into 3"))
    expect(dialog.get_by_role("row", name=re.compile("T-0702.*Grease it.*Can be saved"))).to_be_visible()
    expect(
        dialog.get_by_role("row", name=re.compile("T-0703.*PS-999.*Priority: Enter 5 or less"))
    ).to_be_visible()
    assert stored(sample, "T-0702")["title"] == "Clear the weed screen"
    dialog.get_by_role("button", name="Save 2, leave 1").press("Enter")
    # What was refused stays where it is told.
    expect(page.get_by_role("dialog", name=re.compile("^Paste into 1"))).to_be_visible()
    found = [stored(sample, number) for number in ("T-0702", "T-0703", "T-0704")]
    assert [one["title"] for one in found] == ["Grease it", "Clear the weed screen", "Oil it"]
    assert (found[0]["state"], found[0]["priority"], found[0]["station"]) == ("in hand", 1, "PS-001")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Undone: 2 changes")).to_be_visible()
    expect(cell(page, "T-0702", "title")).to_have_text("Clear the weed screen")
    assert stored(sample, "T-0704")["title"] == "Clear the weed screen"


def test_pasting_tells_what_others_changed_and_what_has_no_place(page: Page, sample: Running) -> None:
    for number in NUMBERS:
        change(sample, number, priority=3, title="Clear the weed screen")
    opened(page)
    cell(page, "T-0706", "title").click()
    paste(page, "Once\nTwice\nThrice")
    dialog = page.get_by_role("dialog", name=re.compile("^Paste into 2"))
    expect(dialog.get_by_text("1 of the rows pasted have no place")).to_be_visible()
    expect(dialog.get_by_role("button", name="Save all 2")).to_be_enabled()
    change(sample, "T-0707", title="Others were here")
    dialog.get_by_role("button", name="Save all 2").click()
    expect(dialog.get_by_text("others changed it to Others were here")).to_be_visible()
    assert stored(sample, "T-0706")["title"] == "Clear the weed screen"
    come_to_rest(page)
    without_fault(page)
    dialog.get_by_role("button", name="Save 1, leave 1").click()
    expect(page.get_by_role("dialog", name=re.compile("^Paste into 1"))).to_be_visible()
    assert [stored(sample, number)["title"] for number in ("T-0706", "T-0707")] == [
        "Once",
        "Others were here",
    ]
    page.keyboard.press("Escape")
    # One cell of text begins to be edited, and is not saved yet.
    cell(page, "T-0701", "title").click()
    paste(page, "Sweep the yard")
    expect(page.get_by_role("textbox", name="Title")).to_have_value("Sweep the yard")
    page.keyboard.press("Escape")
    cell(page, "T-0701", "priority").click()
    copied = page.evaluate(
        """() => {
          const data = new DataTransfer();
          const event = new ClipboardEvent("copy", { clipboardData: data, bubbles: true, cancelable: true });
          document.activeElement.dispatchEvent(event);
          return data.getData("text/plain");
        }"""
    )
    assert copied == "3"


def test_numbers_and_days_are_read_and_written_as_the_reader_does(browser: Browser, sample: Running) -> None:
    change(sample, "T-0705", hours=12.5, state="in hand")
    context = browser.new_context(base_url=sample.address, locale="de-DE")
    page = context.new_page()
    signed_in(page)
    page.goto("/c/tickets?where=number == 'T-0705'&columns=number,hours,due_on,title")
    hours = page.get_by_role("row", name=re.compile("T-0705")).get_by_role("gridcell").nth(2)
    expect(hours).to_have_text(re.compile("^12,50?$"))
    hours.dblclick()
    box = page.get_by_role("textbox", name="Hours")
    expect(box).to_have_value(re.compile("^12,50?$"))
    box.fill("12,25")
    page.keyboard.press("Enter")
    expect(hours).to_have_text("12,25")
    assert stored(sample, "T-0705")["hours"] == 12.25
    hours.click()
    paste(page, "8,5\t9. April 2031")
    page.get_by_role("button", name="Save all 1").click()
    expect(hours).to_have_text(re.compile("^8,50?$"))
    assert stored(sample, "T-0705")["due_on"] == "2031-04-09"
    context.close()


@pytest.mark.parametrize("seed", range(5 if NIGHTLY else 1))
def test_whatever_is_pasted_is_stored_or_said_to_be_refused(page: Page, sample: Running, seed: int) -> None:
    """Random blocks over random rows, while others change them: no row is left out without its reason."""
    dice = random.Random(seed)
    opened(page)
    for step in range(7):
        at, height = dice.randrange(len(NUMBERS)), dice.randint(1, 3)
        rows = {}
        for place in range(height):
            values = (
                f"Pasted {seed} {step} {place}",
                dice.choice(["PS-001", "PS-002", "PS-999"]),
                dice.choice(["open", "IN HAND", "never"]),
            )
            rows[place] = (*values, dice.choice(["1", "2", "9", ""]))
        cell(page, NUMBERS[at], "title").click()
        paste(page, "\n".join("\t".join(row) for row in rows.values()))
        dialog = page.get_by_role("dialog", name=re.compile("^Paste into"))
        placed = {NUMBERS[at + place]: row for place, row in rows.items() if at + place < len(NUMBERS)}
        expect(dialog.get_by_role("row")).to_have_count(len(placed) + 1)
        if dice.random() < 0.5:
            change(sample, dice.choice([*placed]), title=f"Theirs {step}")
        save = dialog.get_by_role("button", name=re.compile("^(Save|Nothing)"))
        told = dict.fromkeys(placed, "")
        # What others changed is told once it is known, and then the rest can be saved.
        for _ in range(3):
            expect(dialog.get_by_label("Looking what would")).to_have_count(0)
            for number in placed:
                row = dialog.get_by_role("row", name=re.compile(number))
                told[number] = row.inner_text() if row.count() else ""
            if not save.is_enabled():
                break
            save.press("Enter")
            expect(save.or_(page.get_by_text("changed.")).first).to_be_visible()
            come_to_rest(page)
            if not dialog.is_visible():
                break
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        for number, row in placed.items():
            with sample.client() as http:
                entries = http.get(f"/v1/records/tickets/{number}/history?limit=3").json()["items"]
            saved = any(one["changes"].get("title", {}).get("after") == row[0] for one in entries)
            wrong = row[1] == "PS-999" or row[2] == "never" or row[3] in ("9", "")
            reason = "Can be saved" not in told[number] and told[number] != ""
            assert saved or reason, (number, row, told)
            assert not (saved and wrong), "\n".join(
                [number, str(row), str(told), str([one["changes"] for one in entries])]
            )
    come_to_rest(page)
    for number in NUMBERS:
        record = stored(sample, number)
        expect(cell(page, number, "title")).to_have_text(record["title"])
        expect(cell(page, number, "priority")).to_have_text(str(record["priority"]))
