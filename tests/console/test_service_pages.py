"""The console's pages about the service itself, in a real browser against the real service."""

from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from kiteroll.client import alert_routes, alert_targets, settings
from tests.console.conftest import open_console, sign_in, violations
from tests.support.harness import Service


def test_a_target_is_added_tried_and_used_by_a_route(
    browser: Browser, service: Service, tmp_path: Path
) -> None:
    page = open_console(browser, service)  # the browser itself complains of each refusal
    sign_in(page, service)
    page.goto("/service")
    page.get_by_role("button", name="New target").click()
    form = page.get_by_role("form", name="new target")
    form.get_by_label("Name").fill("on-duty")
    form.get_by_label("Kind").select_option("folder")
    form.get_by_label("Folder of the service's machine").fill("not/whole")
    form.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("alert")).to_contain_text("path")
    form.get_by_label("Folder of the service's machine").fill(str(tmp_path / "alerts"))
    form.get_by_role("button", name="Add it").click()
    targets = page.get_by_label("alert targets")
    expect(targets).to_contain_text("◌ not used yet")
    page.get_by_role("button", name="Test on-duty").click()
    expect(page.get_by_text("✓ The test reached on-duty")).to_be_visible()
    assert len(list((tmp_path / "alerts").iterdir())) == 1

    page.get_by_role("button", name="New route").click()
    form = page.get_by_role("form", name="new route")
    form.get_by_label("Name").fill("nights")
    form.get_by_label("From severity").select_option("serious")
    form.get_by_label("Sun", exact=True).uncheck()
    form.get_by_label("From", exact=True).fill("22:00")
    form.get_by_label("Until").fill("06:00")
    form.get_by_label("Again after minutes").fill("90")
    form.get_by_role("button", name="Add it").click()
    row = page.get_by_label("alert routes").get_by_role("row").filter(has_text="nights")
    expect(row).to_contain_text("Mon to Sat 22:00 to 06:00")
    expect(row).to_contain_text("every 90 min")
    page.get_by_role("button", name="Change nights").click()
    form = page.get_by_role("form", name="change nights")
    form.get_by_label("send again when it is over").uncheck()
    form.get_by_role("button", name="Save nights").click()
    expect(row).to_contain_text("not sent")
    with service.client() as client:
        (route,) = client.all(alert_routes())
        assert (route.remind_after_s, route.hours.days, route.send_cleared) == (5400, [0, 1, 2, 3, 4, 5], False)
    page.get_by_role("button", name="Remove on-duty").click()
    expect(page.get_by_role("alert")).to_contain_text("is used by nights")
    page.get_by_role("button", name="Remove nights").click()
    expect(page.get_by_label("alert routes")).to_contain_text("No routes")
    page.get_by_role("button", name="Remove on-duty").click()
    expect(page.get_by_label("alert targets")).to_contain_text("No targets")
    with service.client() as client:
        assert client.all(alert_targets()) == []
    page.context.close()


def test_work_is_planned_and_ended(page: Page) -> None:
    page.goto("/service/planned-work")
    page.get_by_label("What is done").fill("a new switch in the ticket hall")
    page.get_by_label("Switch").fill("ticket-hall")
    page.get_by_role("button", name="Plan it").click()
    row = page.get_by_role("row").filter(has_text="a new switch in the ticket hall")
    expect(row).to_contain_text("● running")
    expect(row).to_contain_text("admin")
    row.get_by_role("button").click()
    expect(page.get_by_text("No work is planned.")).to_be_visible()


def test_a_setting_is_changed_and_reset(page: Page, service: Service) -> None:
    page.goto("/service/settings")
    row = page.get_by_role("row").filter(has=page.get_by_label("findings.silent_after", exact=True))
    row.get_by_label("findings.silent_after", exact=True).fill("2h")
    row.get_by_role("button", name="Save").click()
    expect(row).to_contain_text("● set here")
    expect(row).to_contain_text("admin, ")
    with service.client() as client:
        (one,) = (one for one in client.all(settings()) if one.name == "findings.silent_after")
    assert (one.value, one.default) == ("2h", "1d")
    row.get_by_role("button", name="Reset findings.silent_after").click()
    expect(row.get_by_label("findings.silent_after", exact=True)).to_have_value("1d")


def test_what_the_status_page_leads_to_is_there(page: Page) -> None:
    page.goto("/service/status")
    links = page.get_by_text("Measured values").get_by_role("link")
    expect(links).to_have_count(2)
    for link in links.all():
        answer = page.request.get(link.get_attribute("href") or "")
        assert answer.ok, answer.url


@pytest.mark.parametrize("path", ["/service/settings", "/service", "/service/planned-work", "/service/people", "/service/audit"])
def test_pages_can_be_used_by_everybody(visitor: Page, path: str) -> None:
    visitor.goto(path)
    visitor.get_by_role("heading", level=1).wait_for()
    expect(visitor.get_by_role("main")).not_to_contain_text("loading")
    assert violations(visitor) == []
