"""The table of every list, findings by the dozen, the past, and how things are shown, in a real browser."""

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta

from playwright.sync_api import Browser, Page, expect

from kiteroll.client import (
    add_switch,
    bar,
    clear_finding,
    findings,
    import_readings,
    lift_bar,
    remove_switch,
    stays,
)
from kiteroll.schemas.api import NewBarred, NewSwitch
from kiteroll.schemas.reading_convert import to_document
from tests.console.conftest import open_console, sign_in, violations
from tests.support.factories import reading
from tests.support.harness import Service, read_again, wait_until


def test_a_list_is_filtered_by_words_sorted_and_used_by_keyboard(page: Page) -> None:
    page.goto("/endpoints")
    table = page.get_by_label("endpoints", exact=True)
    expect(table.get_by_role("row").nth(1)).to_be_visible()
    page.get_by_label("filters", exact=True).fill("switch:quay-* life:present")
    expect(page).to_have_url(re.compile("q=switch"))
    expect(table).not_to_contain_text("checkin-")
    expect(table).to_contain_text("quay-2")
    page.get_by_label("filters", exact=True).fill("life:asleep")
    expect(page.get_by_text("life:asleep is none of present, quiet, gone")).to_be_visible()
    page.get_by_label("filters", exact=True).fill("switch:quay-1")

    page.get_by_role("button", name="Columns").click()
    page.get_by_label("Host name", exact=True).click()
    page.get_by_role("button", name="Label further to the left").click()
    expect(page).to_have_url(re.compile("columns=label"))
    page.keyboard.press("Escape")
    expect(table.get_by_role("columnheader").nth(1)).to_have_text("Label")
    table.get_by_role("button", name="Address").click()
    table.get_by_role("button", name="Address").click()
    expect(table.get_by_role("columnheader", name="Address")).to_have_attribute("aria-sort", "descending")
    page.get_by_label("words the rows must have").fill("02:1a:05")
    expect(page.get_by_text(re.compile(r"^\d+ of \d+ rows$"))).to_be_visible()
    shown = page.url
    table.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    chosen = page.locator("tr:focus[data-index='1']")
    expect(chosen).to_have_count(1)
    mac = chosen.get_by_role("link").first.inner_text()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=mac)).to_be_visible()
    page.goto(shown)  # all that was chosen is in the URL
    expect(table.get_by_role("columnheader", name="Address")).to_have_attribute("aria-sort", "descending")
    expect(table.get_by_role("columnheader").nth(1)).to_have_text("Label")
    assert violations(page) == []


def test_the_past_says_which_switches_were_not_read_then(page: Page, service: Service) -> None:
    first, last = (
        to_document(replace(reading(0, {(995, 10): "p1"}, switch="hut-u"), taken_at=instant))
        for instant in (datetime.now(UTC) - timedelta(minutes=90), datetime.now(UTC) - timedelta(minutes=1))
    )
    with service.client() as kite:
        kite.send(add_switch(NewSwitch(name="hut-u", source="files", interval_s=60)))
        kite.send(import_readings([first, last]))
    then = (first.taken_at + timedelta(minutes=30)).strftime("%Y-%m-%dT%H:%M:%SZ")
    page.goto(f"/compare?since={then}&on=switch:hut-u")
    unread = page.get_by_text(re.compile("^Not read around .*hut-u"))
    expect(unread).to_have_count(1)  # it was read lately
    expect(page.get_by_text("No differences.")).to_be_visible()
    page.goto(f"/switches/hut-u?at={then}")
    expect(page.get_by_role("status").filter(has_text="Not read around")).to_contain_text("hut-u (last read")
    assert violations(page) == []
    with service.client() as kite:
        kite.send(remove_switch("hut-u"))


def test_many_findings_are_acknowledged_with_a_note(page: Page, service: Service) -> None:
    with service.client() as kite:
        lamp = next(iter(kite.each(stays(switch="quay-3", uplinks=False)))).mac
        kite.send(bar(NewBarred(prefix=lamp, reason="stolen")))
        read_again(kite, "quay-3")
        wait_until(lambda: kite.all(findings(mac=lamp, states=["open"])), "a finding about the lamp")
        found = kite.all(findings(mac=lamp, states=["open"]))[0]
        page.goto(f"/findings?kind={found.kind}")
        page.get_by_label(f"select {found.id}", exact=True).check()
        chosen = page.get_by_role("group", name="with the selected rows")
        chosen.get_by_label("note for the selected").fill("known since the works")
        chosen.get_by_role("button", name="Acknowledge 1").click()
        expect(chosen).to_have_count(0)
        again = next(one for one in kite.all(findings(states=["acknowledged"])) if one.id == found.id)
        assert again.note == "known since the works"
        page.goto(f"/findings/{found.id}")
        expect(page.get_by_role("img", name=re.compile("^evidence over time"))).to_be_visible()
        page.get_by_title("the place, as of that instant").first.click()
        expect(page.get_by_text("not now. Ages count back from then")).to_be_visible()
        kite.send(lift_bar(lamp))


def test_a_port_opens_at_the_side_and_the_page_stays_where_it_is(page: Page) -> None:
    page.goto("/switches/checkin-east")
    page.get_by_role("group", name="ports").get_by_role("button", name=re.compile("^p6")).click()
    panel = page.get_by_role("dialog", name="port p6")
    expect(panel.get_by_role("heading", name="Addresses now and before")).to_be_visible()
    expect(page.get_by_role("heading", name="checkin-east")).to_be_visible()
    page.get_by_role("group", name="ports").get_by_role("button", name=re.compile("^p7")).click()
    expect(page.get_by_role("dialog", name="port p7")).to_be_visible()
    page.get_by_role("button", name="close the port").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.get_by_role("tab", name="Addresses").click()
    expect(page.get_by_label("endpoints at the switch")).to_contain_text("02:1a:")
    page.get_by_role("tab", name="Readings").click()
    expect(page.get_by_role("img", name=re.compile("^addresses over"))).to_be_visible()
    expect(page).to_have_url(re.compile("tab=readings"))


def test_the_map_shows_a_vlan_and_leads_to_switches(page: Page) -> None:
    page.goto("/vlans/30")
    page.get_by_role("link", name="on the map").click()
    quay = page.locator(".switch").filter(has_text="quay-1")
    expect(quay).to_have_attribute("data-marked", "true")
    page.get_by_role("button", name="By site").click()
    expect(page.locator(".area").filter(has_text="no site")).to_be_visible()
    page.get_by_label("Show", exact=True).fill("workshop")
    page.keyboard.press("Enter")
    expect(page.locator(".switch").filter(has_text="workshop")).to_have_attribute("data-marked", "true")
    page.locator(".switch").filter(has_text="workshop").press("Enter")
    expect(page.get_by_role("heading", name="workshop")).to_be_visible()


def test_the_time_line_is_zoomed_by_keyboard(page: Page) -> None:
    page.goto("/endpoints/02:1a:09:01:9e:4a")
    line = page.get_by_role("group", name=re.compile("^time line"))
    line.focus()
    shown = page.get_by_text(re.compile(r"^\d+ \w+, \d\d:\d\d to \d+ \w+, \d\d:\d\d$"))
    whole = shown.inner_text()
    line.press("+")
    expect(page.get_by_role("button", name="all of it")).to_be_enabled()
    line.press("0")
    expect(page.get_by_role("button", name="all of it")).to_be_disabled()
    assert whole


def test_one_instant_holds_for_all_pages_and_those_that_cannot_say_so(page: Page) -> None:
    page.goto("/switches")
    page.get_by_role("button", name="as of now").click()
    page.get_by_role("button", name="15 min ago").click()
    expect(page.get_by_text("This page shows what is now.")).to_be_visible()
    page.get_by_role("link", name="Map", exact=True).click()
    expect(page.get_by_text("not now. Ages count back from then")).to_be_visible()
    assert "at=" in page.url
    page.get_by_role("button", name=re.compile("^as of ")).click()
    page.get_by_role("link", name="Compare then with now").click()
    expect(page.get_by_role("heading", name="Compare two instants")).to_be_visible()


def test_zone_contrast_and_density_are_chosen_once(browser: Browser, service: Service) -> None:
    page = open_console(browser, service, timezone_id="Asia/Tokyo")
    sign_in(page, service)
    page.goto("/history")
    when = page.get_by_label("changes", exact=True).get_by_role("row").nth(1).get_by_role("cell").first
    expect(when).to_contain_text("GMT+9")
    page.get_by_role("button", name="account and display").click()
    page.get_by_role("menuitemradio", name="In UTC").click()
    page.get_by_role("menuitemradio", name="High").click()
    page.get_by_role("menuitemradio", name="Dark").click()
    page.keyboard.press("Escape")
    expect(when).to_contain_text("UTC")
    page.reload()
    expect(when).to_contain_text("UTC")
    assert page.evaluate("document.documentElement.className").split().count("contrast") == 1
    assert violations(page) == []
    page.context.close()


def test_things_are_looked_up_on_a_phone(browser: Browser, service: Service) -> None:
    page = open_console(browser, service, viewport={"width": 390, "height": 800})
    sign_in(page, service)
    page.get_by_label("Find a device, a switch or a port").fill("9e:4a")
    expect(page.get_by_role("link", name="02:1a:09:01:9e:4a")).to_be_visible()
    page.get_by_role("button", name="parts of the console").click()
    page.get_by_role("menuitem", name="Switches").click()
    page.get_by_role("link", name="checkin-east").click()
    expect(page.get_by_role("group", name="ports").first).to_be_visible()
    wider = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
    assert wider <= 0, "the page itself does not scroll sideways"
    assert violations(page) == []
    page.context.close()


def test_findings_of_an_instant_are_those_that_were_open_then(page: Page, service: Service) -> None:
    with service.client() as kite:
        lamp = next(iter(kite.each(stays(switch="quay-2", uplinks=False)))).mac
        kite.send(bar(NewBarred(prefix=lamp, reason="lost")))
        read_again(kite, "quay-2")
        wait_until(lambda: kite.all(findings(mac=lamp, kinds=["barred-address"], states=["open"])), "a finding about the lamp")
        (found,) = kite.all(findings(mac=lamp, kinds=["barred-address"]))
        kite.send(lift_bar(lamp))
        kite.send(clear_finding(found.id))
        then = (found.opened_at + timedelta(milliseconds=1)).isoformat().replace("+00:00", "Z")
        (as_then,) = kite.all(findings(mac=lamp, kinds=["barred-address"], at=found.opened_at + timedelta(milliseconds=1)))
        assert (as_then.id, as_then.state, as_then.cleared_at) == (found.id, "open", None)
        assert kite.all(findings(mac=lamp, kinds=["barred-address"])) == []
    page.goto(f"/findings?kind=barred-address&at={then}")
    expect(page.get_by_text("Those that were open then")).to_be_visible()
    expect(page.get_by_label("findings", exact=True)).to_contain_text(lamp)
    expect(page.get_by_role("button", name="acknowledged")).to_have_count(0)  # nor can anything be done about them
    assert violations(page) == []
    page.get_by_role("button", name="Back to now").click()
    expect(page.get_by_label("findings", exact=True)).not_to_contain_text(lamp)
