"""Lists of objects in the console: edited as small tables, in the form and in the cell of a list."""

from __future__ import annotations

from collections.abc import Iterator

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from browser import come_to_rest, opened_page, signed_in, without_fault
from support import Running, new_project, start

READINGS = """
  readings:
    type: array
    title: Readings
    maxItems: 4
    items:
      type: object
      required: [gauge]
      properties:
        gauge: {type: string, title: Gauge, maxLength: 10}
        level: {type: number, title: Level, multipleOf: 0.01}
"""


@pytest.fixture(scope="module")
def notes(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    folder = new_project(tmp_path_factory.mktemp("rows") / "notes")
    file = folder / "collections" / "notes.yaml"
    file.write_text(
        file.read_text().replace("key: slug", "key: slug\ncolumns: [slug, title, readings]") + READINGS
    )
    running = start("start", folder, folder / "log")
    yield running
    running.process.terminate()
    running.process.wait(30)


@pytest.fixture
def opened(browser: Browser, notes: Running) -> Iterator[Page]:
    token = (notes.folder / "token").read_text()
    with httpx.Client(base_url=notes.address, headers={"Authorization": f"Bearer {token}"}) as http:
        http.delete("/v1/records/notes", params={"where": "true"})
        fields = {"slug": "a", "title": "A", "readings": [{"gauge": "G1", "level": 1.25}, {"gauge": "G2"}]}
        http.post("/v1/records/notes", json=fields).raise_for_status()
    with opened_page(browser, notes.address) as page:
        signed_in(page, token)
        yield page


def stored(notes: Running) -> object:
    headers = {"Authorization": f"Bearer {(notes.folder / 'token').read_text()}"}
    return httpx.get(f"{notes.address}/v1/records/notes/a", headers=headers).json()["readings"]


def test_a_list_of_objects_is_edited_as_a_small_table(opened: Page, notes: Running) -> None:
    page = opened
    page.goto("/c/notes/r/a")
    first, second, third = (
        page.get_by_role("group", name=f"Readings, line {number}") for number in (1, 2, 3)
    )
    expect(first.get_by_label("Level")).to_have_value("1.25")
    second.get_by_label("Level").fill("2.5")
    page.get_by_role("button", name="Add a line").press("Enter")
    expect(third.get_by_label("Gauge")).to_be_focused()
    third.get_by_label("Level").fill("0.005")
    page.get_by_role("button", name="Save").click()
    # What is wrong is told in its own place, and nothing of the others is lost.
    expect(third.get_by_text("Enter at most 2 digits after the point.")).to_be_visible()
    expect(second.get_by_label("Level")).to_have_value("2.5")
    come_to_rest(page)
    without_fault(page)
    third.get_by_label("Gauge").fill("G3")
    third.get_by_label("Level").fill("")
    page.get_by_role("button", name="Remove line 1 of Readings").press("Enter")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Saved. a is at version 2 now.")).to_be_visible()
    assert stored(notes) == [{"gauge": "G2", "level": 2.5}, {"gauge": "G3"}]


def test_so_it_is_in_the_cell_of_a_list(opened: Page, notes: Running) -> None:
    page = opened
    page.goto("/c/notes")
    cell = page.get_by_role("gridcell").nth(3)
    expect(cell).to_have_text("G1, 1.25; G2")
    cell.dblclick()
    line = page.get_by_role("group", name="Readings, line 2")
    expect(page.get_by_role("group", name="Readings, line 1").get_by_label("Gauge")).to_be_focused()
    for _ in range(4):
        page.keyboard.press("Tab")
    expect(line.get_by_label("Level")).to_be_focused()
    page.keyboard.type("3")
    page.keyboard.press("Enter")
    expect(cell).to_have_text("G1, 1.25; G2, 3.00")
    assert stored(notes) == [{"gauge": "G1", "level": 1.25}, {"gauge": "G2", "level": 3}]
