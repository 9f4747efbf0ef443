"""The console in a real browser against the real service."""

import re
from datetime import UTC, datetime

from playwright.sync_api import Browser, Page, expect

from kiteroll.client import add_switch, remove_switch
from kiteroll.schemas.api import Credential, NewSwitch
from tests.console.conftest import open_console, sign_in, violations
from tests.support.harness import Service, read_again


def test_no_one_gets_in_without_the_token(browser: Browser, service: Service) -> None:
    page = open_console(browser, service)
    page.goto("/switches/quay-1")
    page.get_by_label("Name").fill("mara")
    page.get_by_label("Password").fill("a guess")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("do not fit together")
    page.get_by_role("button", name="With a token instead").click()
    page.get_by_label("Token").fill("a guess")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("no token of this service")
    page.get_by_label("Token").fill(service.token)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="quay-1")).to_be_visible()
    page.get_by_role("button", name="account and display").click()
    page.get_by_role("menuitem", name="Sign out").click()
    expect(page.get_by_label("Password")).to_be_visible()
    page.context.close()


def test_four_digits_show_switch_port_and_vlan_and_why(page: Page) -> None:
    page.keyboard.type("9e:4a")
    row = page.get_by_role("row").filter(has_text="02:1a:09:01:9e:4a")
    expect(row).to_contain_text("ticket-hall · p16")
    expect(row).to_contain_text("10 office")
    expect(row).to_contain_text("present")
    expect(row.locator("mark")).to_have_text("9e:4a")
    expect(page.get_by_text("Home here because the other")).to_be_visible()
    assert page.url.endswith("/?q=9e%3A4a")


def test_what_is_typed_stays_on_a_slow_machine(page: Page) -> None:
    """The URL has it later than the box."""
    session = page.context.new_cdp_session(page)
    session.send("Emulation.setCPUThrottlingRate", {"rate": 20})
    page.keyboard.type("9e:4a", delay=45)
    expect(page.get_by_label("Find a device, a switch or a port")).to_have_value("9e:4a")
    page.wait_for_url("**/?q=9e%3A4a")
    expect(page.get_by_label("Find a device, a switch or a port")).to_have_value("9e:4a")
    session.send("Emulation.setCPUThrottlingRate", {"rate": 1})
    page.goto("/endpoints")
    filters = page.get_by_label("filters", exact=True)
    filters.press_sequentially("vlan:20")
    page.wait_for_url("**/endpoints?q=vlan%3A20")
    expect(filters).to_be_focused()
    page.keyboard.type(" life:quiet")
    page.wait_for_url("**/endpoints?q=vlan%3A20*life%3Aquiet")
    expect(filters).to_have_value("vlan:20 life:quiet")


def test_keys_alone_lead_from_anywhere_to_the_port(page: Page) -> None:
    page.goto("/switches")
    page.get_by_role("link", name="Kite Roll, find").press("Enter")
    box = page.get_by_label("Find a device, a switch or a port")
    expect(box).to_be_focused()
    page.keyboard.type("02:1a:05")
    expect(page.get_by_role("heading", name=re.compile("endpoints$"))).to_be_visible()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    chosen = page.locator("tr[data-chosen]")
    expect(chosen).to_have_count(1)
    place = chosen.get_by_role("link").filter(has_text=" · ").inner_text()
    page.keyboard.press("Enter")
    switch, port = place.split(" · ")
    expect(page.get_by_role("heading", name=switch)).to_be_visible()
    expect(page.get_by_role("group", name="ports").locator("[data-chosen]")).to_contain_text(port)


def test_a_search_without_an_answer_and_one_that_cannot_be_say_so(page: Page) -> None:
    box = page.get_by_label("Find a device, a switch or a port")
    box.fill("ffff:ffff")
    expect(page.get_by_text("No match for")).to_be_visible()
    box.fill("quay cabin")
    expect(page.get_by_role("link", name="quay-1")).to_be_visible()


def test_wrong_digits_are_explained(browser: Browser, service: Service) -> None:
    page = open_console(browser, service)
    sign_in(page, service)
    page.get_by_label("Find a device, a switch or a port").fill("02:1a:zz")
    expect(page.get_by_role("alert")).to_contain_text("'z' is not a hexadecimal digit")
    page.context.close()


def test_a_switch_shows_its_ports_and_who_is_on_each(page: Page) -> None:
    page.goto("/switches/checkin-east")
    face = page.get_by_role("group", name="ports")
    expect(face.get_by_role("button")).to_have_count(24)
    expect(face.get_by_role("button", name=re.compile("^p24 .*uplink to another switch"))).to_be_visible()
    rows = page.get_by_label("who is on each port").get_by_role("row")
    expect(rows.filter(has_text="Scanner cradle")).to_have_count(4)
    phone = rows.filter(has_text=re.compile("^p10"))
    expect(phone).to_contain_text("02:1a:08")
    page.get_by_label("Filter").fill("gate")
    expect(page.get_by_text("5 of 24 ports")).to_be_visible()
    page.get_by_label("Filter").fill("no such thing")
    expect(page.get_by_text("No port matches.")).to_be_visible()


def test_read_now_reads_and_shows_it(page: Page) -> None:
    page.goto("/switches/workshop")
    page.get_by_role("button", name="Read now").click()
    expect(page.get_by_text(re.compile(r"^[0-3] s ago$")).first).to_be_visible()


def test_what_happens_shows_without_asking(page: Page, service: Service) -> None:
    page.goto("/switches")
    expect(page.get_by_text("● live")).to_be_visible()
    with service.client() as client:
        client.send(add_switch(NewSwitch(name="zz-mute", host="127.0.0.1", port=9, access=Credential(community="x"), enabled=False)))
        read_again(client, "quay-1")
        expect(page.get_by_role("link", name="zz-mute")).to_be_visible()
        client.send(remove_switch("zz-mute"))
        read_again(client, "quay-1")
        expect(page.get_by_role("link", name="zz-mute")).to_have_count(0)


def test_a_switch_that_is_not_there_is_reported(browser: Browser, service: Service) -> None:
    page = open_console(browser, service)
    sign_in(page, service)
    page.goto("/switches/no-such")
    expect(page.get_by_role("alert")).to_contain_text("no switch 'no-such'")
    page.context.close()


def test_signing_in_is_possible_for_everybody_in_the_colours_they_chose(
    browser: Browser, service: Service, scheme: str
) -> None:
    page = open_console(browser, service, scheme)
    page.goto("/")
    page.get_by_label("Password").wait_for()
    assert page.evaluate("document.documentElement.classList.contains('dark')") is (scheme == "dark")
    assert violations(page) == []
    page.context.close()


def test_an_endpoint_shows_why_the_path_and_its_time_line(page: Page) -> None:
    page.goto("/?q=9e:4a")
    page.get_by_role("link", name="02:1a:09:01:9e:4a").click()
    expect(page.get_by_role("heading", name="02:1a:09:01:9e:4a")).to_be_visible()
    # Its switch is read once an hour here: a second reading would make it sure.
    expect(page.locator("dd").filter(has_text="likely")).to_be_visible()
    hops = page.get_by_label("hop by hop").get_by_role("listitem")
    expect(hops.last).to_contain_text("ticket-hall · p16")
    expect(page.get_by_role("img", name=re.compile("^stays at"))).to_be_visible()
    page.get_by_label("Label").fill("Desk of the purser")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("saved")).to_be_visible()
    page.get_by_role("link", name="on the map").click()
    # The endpoint's page has links to the same switch, and may still be there.
    on_map = page.get_by_role("link", name=re.compile("^ticket-hall")).filter(has_text="here: p16")
    expect(on_map).to_be_visible()


def test_a_port_shows_its_role_and_lets_the_operator_set_it(page: Page) -> None:
    page.goto("/switches/quay-1?port=p24")
    expect(page.get_by_text("core-2 announces itself there")).to_be_visible()
    page.goto("/switches/quay-1?port=p3")
    page.get_by_role("button", name="Set as uplink").click()
    expect(page.get_by_text("set to uplink by hand")).to_be_visible()
    page.get_by_role("button", name="Clear this setting").click()
    expect(page.get_by_text("no known switch seen behind this port")).to_be_visible()


def test_vlans_and_comparison_lead_to_endpoints(page: Page) -> None:
    page.goto("/vlans")
    page.get_by_role("link", name="30", exact=True).click()
    expect(page.get_by_role("heading", name="VLAN 30 quay")).to_be_visible()
    expect(page.get_by_label("addresses in the VLAN").get_by_role("row").nth(1)).to_contain_text("02:1a")
    page.goto("/compare")
    page.get_by_role("button", name="last 1 day").click()
    expect(page.get_by_label("what differs").get_by_text("appeared").first).to_be_visible()


def test_many_are_read_with_progress_from_the_page(page: Page) -> None:
    page.goto("/switches")
    page.get_by_role("button", name="Read", exact=True).click()
    expect(page.get_by_text(re.compile(r"^round \d+: \d+ of \d+ read"))).to_be_visible()


def test_a_view_goes_back_to_an_instant_and_its_links_stay_there(browser: Browser, service: Service) -> None:
    page = open_console(browser, service)
    sign_in(page, service)
    now = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    page.goto(f"/switches/quay-1?at={now}")
    reported = page.get_by_text("not now. Ages count back from then")
    expect(reported).to_be_visible()
    expect(page.get_by_role("button", name="Read now")).to_have_count(0)
    page.locator("table a[href*='/endpoints/02%3A1a%3A05']").first.click()
    expect(reported).to_be_visible()
    expect(page.get_by_text("home", exact=True)).to_be_visible()
    page.get_by_role("button", name="Back to now").click()
    expect(reported).to_have_count(0)
    page.get_by_role("button", name="as of now").click()
    page.get_by_label("Show everything as it was at").fill("2020-02-02T12:00")
    expect(page.get_by_role("alert")).to_contain_text("it was first seen at")
    assert "at=2020-02-02" in page.url
    page.goto(f"/?q=02:1a&at={now}")
    expect(reported).to_be_visible()
    page.locator("[data-search]").fill("02:1a:05")
    expect(page).to_have_url(re.compile(r"q=02%3A1a%3A05.*at=|at=.*q=02%3A1a%3A05"))
    expect(page.locator("table a[href*='/endpoints/02%3A1a%3A05'][href*='at=']").first).to_be_visible()
    page.context.close()


def test_seats_are_set_and_a_stranger_is_enrolled_at_the_port(page: Page) -> None:
    page.goto("/switches/quay-2?port=p3")
    expect(page.get_by_text("present, no limit")).to_be_visible()
    page.get_by_label("Seats").fill("1")
    page.get_by_role("button", name="Set seats").click()
    expect(page.get_by_text("1 present, limit 1")).to_be_visible()
    page.get_by_role("button", name="Watch for strangers").click()
    present = page.get_by_label("who is present")
    expect(present).to_contain_text("stranger")
    present.get_by_role("button", name=re.compile("^Enrol 02:1a")).click()
    expect(present).to_contain_text("enrolled")
    expect(present.get_by_role("button")).to_have_count(0)
    page.get_by_role("button", name="Inherit from the switch").click()
    expect(page.get_by_text("present, no limit")).to_be_visible()


def test_what_a_switch_shows_is_fetched_once_and_early(page: Page) -> None:
    asked: list[str] = []
    page.on("request", lambda one: asked.append(one.url.partition("/api/v1/")[2]))
    page.goto("/switches/quay-1")
    expect(page.get_by_role("group", name="ports").get_by_role("button").first).to_be_visible()
    early = ["session", "switches/quay-1", "switches/quay-1/ports?limit=1000"]
    early.append("stays?switch=quay-1&uplinks=false&limit=1000")
    assert [asked.count(one) for one in early] == [1, 1, 1, 1]
    stream = next(one for one in asked if one.startswith("stream"))
    assert re.fullmatch(r"stream\?after=[0-9a-f]{8}-\d+", stream)  # from before all that, so nothing is missed
    page.goto("/switches/quay-1?at=2000-01-01T00:00:00Z")
    expect(page.get_by_text("not now")).to_be_visible()
    assert "switches/quay-1/ports?limit=1000" not in asked[asked.index(stream) + 1 :]
