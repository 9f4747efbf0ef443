"""The console's pages about rules, in a real browser against the real service."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from kiteroll.client import apply_rules_file, rules, rules_file
from kiteroll.schemas.api import RulesFile
from tests.console.conftest import open_console, sign_in, violations
from tests.support.harness import Service

SOME_RULES = """
[switch.quay-1]
seats = 9
roll = [{ address = "02:1a:05", note = "lamps", owner = "Ida" }]
[[barred]]
address = "02:1a:99"
reason = "stolen"
"""
PAGES = ("/rules", "/rules/levels", "/rules/enrolment", "/rules/barred", "/rules/log", "/roll-call?all=yes")


@pytest.fixture(autouse=True)
def _rules_as_before(service: Service) -> Iterator[None]:
    """Each test has a rule, an enrolled lamp and somebody barred; afterwards it is as it was."""
    with service.client() as client:
        before = client.send(rules_file()).text
        client.send(apply_rules_file(RulesFile(text=SOME_RULES)))
        yield
        client.send(apply_rules_file(RulesFile(text=before)))


def test_ports_are_chosen_marked_compared_and_changed_together(page: Page, service: Service) -> None:
    page.goto("/rules?where=switch:checkin-east")
    for port in ("p1", "p2"):
        page.get_by_label(f"select checkin-east {port}", exact=True).check()
    page.get_by_label("Seats").fill("3")
    page.get_by_label("VLANs").fill("20, 30-31")
    page.get_by_role("button", name="Mark 2 ports").click()
    row = page.get_by_role("row").filter(has=page.get_by_label("select checkin-east p1", exact=True))
    expect(row.get_by_title("not applied yet")).to_have_count(2)
    page.get_by_role("button", name="Undo checkin-east port p2").click()
    page.get_by_role("button", name="Show the difference").click()
    expect(page.get_by_label("the difference")).to_contain_text("20, 30-31")
    page.get_by_role("button", name="Apply").click()
    expect(row.get_by_title("not applied yet")).to_have_count(0)
    expect(row.get_by_role("cell").nth(5)).to_have_text("3")
    with service.client() as client:
        (own,) = (one for one in client.all(rules()) if one.port == "p1")
    assert (own.seats, own.vlans) == (3, [20, 30, 31])
    page.get_by_role("link", name="Log").click()
    expect(page.get_by_role("row").filter(has_text="vlans")).to_contain_text("admin")


def test_changes_that_are_not_applied_are_rehearsed(page: Page) -> None:
    page.goto("/rules/levels")
    page.get_by_label("Set for").select_option("switch:checkin-east")
    page.get_by_label("Seats").fill("0")
    page.get_by_role("button", name="Mark switch checkin-east").click()
    page.get_by_role("button", name="Rehearse over 30 days").click()
    expect(page.get_by_label("findings by day").get_by_role("listitem").last).to_be_visible()
    expect(page.get_by_label("seats that were needed")).to_contain_text(" · p")
    expect(page.get_by_role("link", name="Ports (1 not applied)")).to_be_visible()


def test_candidates_of_a_window_are_enrolled_or_refused(page: Page) -> None:
    page.goto("/rules/enrolment")
    page.get_by_label("Open one at").select_option("switch:weighbridge")
    page.get_by_label("from days back").fill("1")
    page.get_by_label("present for hours").fill("0")
    page.get_by_role("button", name="Open the window").click()
    candidates = page.get_by_label("candidates")
    first = candidates.get_by_role("row").nth(1)
    first.get_by_role("checkbox").check()
    page.get_by_role("button", name="Enrol those chosen").click()
    expect(candidates.get_by_text("accepted")).to_have_count(1)
    page.get_by_label("choose all who wait").check()
    page.get_by_role("button", name="Refuse them").click()
    expect(page.get_by_text("0 wait for a decision")).to_be_visible()
    page.get_by_role("button", name="Close the window").click()
    expect(page.get_by_label("windows").get_by_role("row").nth(1)).to_contain_text("closed")


def test_who_is_barred_shows_in_the_roll_call_at_once(page: Page) -> None:
    page.goto("/rules/barred")
    page.get_by_label("Address or prefix").fill("02:1a:09:01:9e:4a")
    page.get_by_label("Reason").fill("stolen")
    page.get_by_role("button", name="Bar it").click()
    expect(page.get_by_label("barred", exact=True)).to_contain_text("02:1a:09:01:9e:4a")
    page.get_by_role("link", name="Roll call").click()
    row = page.get_by_label("roll call").get_by_role("row").filter(has_text="ticket-hall · p16")
    expect(row).to_contain_text("barred")
    page.get_by_label("list of devices").fill("device\n02:1a:09:01:9e:4a\n")
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_label("the list beside the network")).to_contain_text("in place")


def test_a_list_with_a_wrong_line_enrols_nobody_and_says_which(browser: Browser, service: Service) -> None:
    page = open_console(browser, service)
    sign_in(page, service)
    page.goto("/rules/enrolment")
    page.get_by_label("Enrol at").select_option("switch:weighbridge")
    page.get_by_label("list to enrol").fill("address,note\n02:1a:03,scales\nxyz,\n")
    page.get_by_role("button", name="Check the list").click()
    expect(page.get_by_role("alert")).to_contain_text("line 3: 'xyz' is neither an address nor a prefix")
    page.context.close()


@pytest.mark.parametrize("path", PAGES)
def test_pages_about_rules_have_no_accessibility_violations(visitor: Page, path: str) -> None:
    visitor.goto(path)
    visitor.locator("main table, main [role=status]").first.wait_for()
    visitor.wait_for_load_state("networkidle")
    assert violations(visitor) == []
