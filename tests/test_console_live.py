"""Live screens: what others save is shown where it is looked at, and what is being typed is never lost."""

from __future__ import annotations

import random
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from browser import opened_page, sign_in, signed_in
from support import Running


@pytest.fixture
def other(browser: Browser, sample: Running) -> Iterator[Page]:
    """Another browser, of somebody else."""
    with opened_page(browser, sample.address) as found:
        sign_in(found)
        yield found


def station(code: str, name: str, watercourse: str) -> dict[str, str]:
    return {
        "code": code, "name": name, "kind": "sluice", "area": "north", "status": "standby", "watercourse": watercourse, "keeper": "ines.harrow",
    }  # fmt: skip


def test_rows_of_a_list_change_leave_and_come_in_place(page: Page, sample: Running) -> None:
    with sample.client() as http:
        [stream] = http.get("/v1/records/watercourses?limit=1").json()["items"]
        for number in range(4):
            http.post(
                "/v1/records/stations", json=station(f"PS-9{number}0", f"Live {number}", stream["code"])
            ).raise_for_status()
        signed_in(page)
        page.goto('/c/stations?sort=code&where=code.startsWith("PS-9")')
        rows = page.get_by_role("row")
        expect(rows).to_have_count(5)
        http.patch("/v1/records/stations/PS-910", json={"name": "Renamed"}).raise_for_status()
        expect(page.get_by_role("row", name="PS-910")).to_contain_text("Renamed")
        for duty in http.get("/v1/records/duties?station=PS-900").json()["items"]:
            http.delete(f"/v1/records/duties/{duty['code']}").raise_for_status()
        http.delete("/v1/records/stations/PS-900").raise_for_status()
        expect(rows).to_have_count(4)
        expect(page.get_by_text("3 found")).to_be_visible()
        # Behind all others it comes by itself; between them it is told of, and nothing jumps.
        http.post("/v1/records/stations", json=station("PS-990", "Last", stream["code"])).raise_for_status()
        expect(page.get_by_role("row", name="PS-990")).to_be_visible()
        http.post(
            "/v1/records/stations", json=station("PS-915", "Between", stream["code"])
        ).raise_for_status()
        fresh = page.get_by_role("button", name="1 new")
        expect(fresh).to_be_visible()
        expect(page.get_by_role("row", name="PS-915")).to_have_count(0)
        fresh.click()
        expect(rows.nth(2)).to_contain_text("PS-915")


def test_what_one_browser_saves_another_shows_and_its_history_follows(page: Page, other: Page) -> None:
    sign_in(page)
    for one in (page, other):
        one.goto("/c/stations/r/PS-033")
        expect(one.get_by_role("textbox", name="Pumps")).to_be_visible()
    page.get_by_role("textbox", name="Pumps").fill("7")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Saved. PS-033")).to_be_visible()
    expect(other.get_by_role("textbox", name="Pumps")).to_have_value("7")
    expect(other.get_by_text("Pumps").first).to_be_visible()
    # Saved from there at once: nobody is in anybody's way.
    other.get_by_role("textbox", name="Pumps").fill("8")
    other.get_by_role("button", name="Save").click()
    expect(page.get_by_role("textbox", name="Pumps")).to_have_value("8")


def test_who_else_has_a_record_open_and_who_edits_it_is_shown(
    page: Page, browser: Browser, sample: Running
) -> None:
    signed_in(page)
    page.goto("/c/stations/r/PS-036")
    here = page.get_by_label("Also here")
    expect(page.get_by_role("textbox", name="Pumps")).to_be_visible()
    expect(here).to_have_count(0)
    with opened_page(browser, sample.address) as crew:
        signed_in(crew, "sample-crew-two")
        crew.goto("/c/stations/r/PS-036")
        expect(crew.get_by_label("Also here")).to_contain_text("Ines Harrow has this open")
        expect(here).to_contain_text("Tobin Reed has this open")
        page.get_by_role("textbox", name="Pumps").fill("4")
        expect(crew.get_by_label("Also here")).to_contain_text("Ines Harrow is editing this")
        crew.get_by_role("link", name="Watercourses").click()
        expect(here).to_have_count(0)
    page.get_by_role("button", name="Cancel").click()


def test_an_edit_in_progress_takes_in_what_others_save_and_marks_what_both_changed(
    page: Page, sample: Running
) -> None:
    url = "/v1/records/stations/PS-034"
    with sample.client() as http:
        http.patch(url, json={"pumps": 1, "crest_level": 1, "capacity": 1}).raise_for_status()
        signed_in(page)
        page.goto("/c/stations/r/PS-034")
        page.get_by_role("textbox", name="Pumps").fill("5")
        http.patch(url, json={"crest_level": 2.5}).raise_for_status()
        expect(page.get_by_label("Crest level in m")).to_have_value("2.500")
        expect(page.get_by_role("textbox", name="Pumps")).to_have_value("5")
        http.patch(url, json={"pumps": 2, "capacity": 3}).raise_for_status()
        expect(page.get_by_text("Others changed this to 2 meanwhile.")).to_be_visible()
        expect(page.get_by_label("Capacity in m³/s")).to_have_value("3.00")
        expect(page.get_by_role("textbox", name="Pumps")).to_have_value("5")
        page.get_by_role("button", name="Save").click()
        conflict = page.get_by_role("region", name="Conflict")
        expect(conflict.get_by_role("row", name="Pumps")).to_contain_text("Pumps125")
        conflict.get_by_role("radiogroup", name="Pumps").get_by_label("mine").click()
        conflict.get_by_role("button", name="Save with these choices").click()
        expect(page.get_by_text("Saved. PS-034")).to_be_visible()
        expect(page.get_by_text("Others changed this")).to_have_count(0)
        record = http.get(url).json()
        assert (record["pumps"], record["capacity"], record["crest_level"]) == (5, 3, 2.5)


def test_a_record_that_is_deleted_while_it_is_edited_says_so_and_keeps_what_was_typed(
    page: Page, sample: Running
) -> None:
    with sample.client() as http:
        http.post("/v1/records/landholders", json={"number": "L9990", "name": "Going"}).raise_for_status()
        signed_in(page)
        page.goto("/c/landholders/r/L9990")
        page.get_by_label("Name").fill("Still here")
        http.delete("/v1/records/landholders/L9990").raise_for_status()
        expect(page.get_by_text("This record was deleted meanwhile")).to_be_visible()
        expect(page.get_by_label("Name")).to_have_value("Still here")


def test_a_connection_that_was_gone_is_said_and_caught_up_with(page: Page, sample: Running) -> None:
    url = "/v1/records/stations/PS-035"
    with sample.client() as http:
        http.patch(url, json={"pumps": 1}).raise_for_status()
        signed_in(page)
        page.goto("/c/stations/r/PS-035")
        expect(page.get_by_role("textbox", name="Pumps")).to_have_value("1")
        page.route("**/v1/changes", lambda route: route.abort())
        page.evaluate("window.dispatchEvent(new Event('offline'))")
        page.context.set_offline(True)
        http.patch(url, json={"pumps": 2}).raise_for_status()
        expect(page.get_by_text("The connection to the service is gone.")).to_be_visible()
        expect(page.get_by_role("textbox", name="Pumps")).to_have_value("1")
        page.unroute("**/v1/changes")
        page.context.set_offline(False)
        expect(page.get_by_role("textbox", name="Pumps")).to_have_value("2")
        expect(page.get_by_text("The connection to the service is gone.")).to_have_count(0)


def test_saving_at_whatever_moment_others_save_overwrites_nothing_unasked(
    page: Page, sample: Running
) -> None:
    url, dice = "/v1/records/stations/PS-036", random.Random(3)
    with sample.client() as http:
        http.patch(url, json={"pumps": 0, "crest_level": 0}).raise_for_status()
        signed_in(page)
        page.goto("/c/stations/r/PS-036")
        for number in range(1, 7):
            page.get_by_role("textbox", name="Pumps").fill("12")
            theirs = {"pumps": number, "crest_level": number / 8}
            http.patch(url, json=theirs).raise_for_status()
            page.wait_for_timeout(dice.randrange(0, 300, 30))
            page.keyboard.press("Control+s")
            conflict = page.get_by_role("region", name="Conflict")
            expect(conflict).to_be_visible()
            found = http.get(url).json()
            assert {name: found[name] for name in theirs} == theirs
            conflict.get_by_role("radiogroup", name="Pumps").get_by_label("theirs").click()
            conflict.get_by_role("button", name="Save with these choices").click()
            expect(conflict).to_have_count(0)
            expect(page.get_by_role("textbox", name="Pumps")).to_have_value(str(number))
