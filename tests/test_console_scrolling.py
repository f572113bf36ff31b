"""A list that is scrolled through: every record is met, few are held, and nothing moves that is in sight."""

from __future__ import annotations

import re
from urllib.parse import urlencode

import pytest
from playwright.sync_api import Page, expect

from browser import signed_in
from support import NIGHTLY, Running

#: Some eight pages of tickets.
WANTED = {"where": 'number >= "T-0100" && number < "T-0300"', "sort": "number"}
CHOSEN = urlencode(WANTED)
_ROWS = "[...document.querySelectorAll('[data-id]')]"


def shown(page: Page) -> list[str]:
    """The keys of the rows that are there, in order."""
    return re.findall(
        r"T-\d{4}", page.evaluate(f"{_ROWS}.map((row) => row.innerText.match(/T-\\d{{4}}/)[0]).join()")
    )


def opened(page: Page, sample: Running) -> list[str]:
    """The list, opened; and the keys of all that is in it."""
    with sample.client() as http:
        found = http.get("/v1/records/tickets", params={**WANTED, "limit": 200, "fields": "number"}).json()
    signed_in(page)
    page.goto(f"/c/tickets?{CHOSEN}")
    expect(page.get_by_text(f"1–25 of {len(found['items'])}")).to_be_visible()
    return [one["number"] for one in found["items"]]


def in_sight(page: Page) -> dict[str, float]:
    """Where the rows in sight stand, by their keys; and how far the page is scrolled."""
    found: dict[str, float] = page.evaluate(
        f"Object.fromEntries([['scrolled', scrollY], ...{_ROWS}.map((row) => [row.innerText.match(/T-\\d{{4}}/)[0], row.getBoundingClientRect().top])"
        ".filter(([, top]) => top > 0 && top < innerHeight)])"
    )
    return found


def scrolled(page: Page, by: int) -> list[str]:
    """The keys of all rows that are met while scrolling as far as it goes, in the order in which they are met."""
    met: dict[str, None] = {}
    still = 0
    while still < 50:
        before = len(met)
        rows = shown(page)
        assert rows == sorted(set(rows)) and len(rows) <= 75
        met.update(dict.fromkeys(rows if by > 0 else reversed(rows)))
        page.mouse.wheel(0, by)
        page.wait_for_timeout(60)
        still = still + 1 if len(met) == before else 0
    return list(met)


@pytest.mark.parametrize(("width", "step"), [(1280, 500), (390, 2000)])
def test_a_list_is_scrolled_to_its_end_and_back(page: Page, sample: Running, width: int, step: int) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    keys = opened(page, sample)
    page.mouse.move(width / 2, 500)
    assert scrolled(page, step) == keys
    # The address is where one is, and leads there anew.
    expect(page).to_have_url(re.compile(f"page={-(-len(keys) // 25)}"))
    assert scrolled(page, -step) == keys[::-1]
    expect(page).not_to_have_url(re.compile("page="))
    assert page.evaluate("scrollY") == 0


def test_what_is_in_sight_stays_where_it_is_while_pages_come_and_others_change_what_is_before(
    page: Page, sample: Running
) -> None:
    keys = opened(page, sample)
    page.mouse.move(640, 500)
    for _ in range(30):
        page.mouse.wheel(0, 150)
        page.wait_for_timeout(120)
        # By now it has come to rest; a page may come still.
        before = in_sight(page)
        page.wait_for_timeout(80)
        after = in_sight(page)
        before.pop("scrolled"), after.pop("scrolled")
        assert {round(after[key] - top) for key, top in before.items() if key in after} == {0}
    assert 50 < len(shown(page)) <= 75
    # Which of all rows these are is told, and their titles are in sight.
    grid = page.get_by_role("grid")
    all_of_them = int(grid.get_attribute("aria-rowcount") or 0) - 1
    place = page.locator("[data-id]").first.get_attribute("aria-rowindex")
    assert (all_of_them > 75, place) == (True, str(keys.index(shown(page)[0]) + 2))
    title = page.get_by_role("columnheader", name="Title").bounding_box()
    assert title is not None and 0 <= title["y"] < 5
    with sample.client() as http:
        first = shown(page)[3]
        before = in_sight(page)
        http.patch(f"/v1/records/tickets/{first}", json={"title": "Others were here"}).raise_for_status()
        expect(page.get_by_text("Others were here").first).to_be_attached()
        assert {key: round(top) for key, top in in_sight(page).items()} == {
            key: round(top) for key, top in before.items()
        }


def test_the_arrow_keys_lead_through_every_page(page: Page, sample: Running) -> None:
    keys = opened(page, sample)
    page.get_by_role("link", name=keys[0]).focus()
    for key in keys[: len(keys) if NIGHTLY else 90]:
        expect(page.locator("[data-id]:focus-within")).to_contain_text(key)
        page.keyboard.press("ArrowDown")
    assert 50 < len(shown(page)) <= 75
    # A page can be turned as before, and is then shown alone.
    page.get_by_role("button", name="Previous").click()
    expect(page.get_by_role("row")).to_have_count(26)
