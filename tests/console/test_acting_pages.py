"""Closing and reopening ports in the console, in a real browser against the real service and a switch that obeys."""

import pytest
from playwright.sync_api import Browser, Page, expect

from kiteroll.client import add_credential, change_switch, change_user
from kiteroll.schemas.api import Credential, NewCredential, SwitchChange, UserChange
from tests.console.conftest import open_console, sign_in, violations
from tests.support.harness import Service


def test_a_port_is_planned_closed_listed_and_reopened(browser: Browser, service: Service) -> None:
    with service.client() as client:
        client.send(change_user("admin", UserChange(acts_on_ports=True)))
    page = open_console(browser, service)  # the browser itself complains of each refusal
    sign_in(page, service)
    page.goto("/rules/closed")
    expect(page.get_by_text("No switch has a credential to write with")).to_be_visible()
    page.goto("/switches/baggage-hall?port=p2")
    page.get_by_role("button", name="Close this port").click()
    page.get_by_label("Reason").fill("found open after hours")
    page.get_by_role("button", name="Show the plan").click()
    expect(page.get_by_role("alert")).to_contain_text("baggage-hall is only read")

    with service.client() as client:
        writer = NewCredential(name="writer", access=Credential(community="tarn-write"))
        client.send(add_credential(writer))
        for name in ("baggage-hall", "core-1"):
            client.send(change_switch(name, SwitchChange(write_credential="writer")))
    page.get_by_label("Reopens").select_option("after 12 h")
    page.get_by_role("button", name="Show the plan").click()
    plan = page.get_by_role("group", name="the plan")
    expect(plan).to_contain_text("ifAdminStatus.2 from up to down")
    page.get_by_role("button", name="Send it to baggage-hall").click()
    expect(page.get_by_text("✓ closed: the switch confirmed it")).to_be_visible()
    shut = page.get_by_role("group", name="ports").get_by_role("button").filter(has_text="✕")
    expect(shut).to_contain_text("p2")

    page.goto("/rules/closed")
    row = page.get_by_label("closed ports").get_by_role("row").filter(has_text="baggage-hall p2")
    expect(row).to_contain_text("found open after hours")
    expect(row).to_contain_text("in 720 min")
    row.get_by_role("button", name="Reopen baggage-hall p2").click()
    expect(page.get_by_text("No port is closed by Kite Roll.")).to_be_visible()
    expect(page.get_by_label("actions", exact=True)).to_contain_text("✓ reopened")
    page.context.close()


def test_a_guard_is_named_and_overridden_knowingly(browser: Browser, service: Service) -> None:
    page = open_console(browser, service)
    sign_in(page, service)
    page.goto("/switches/core-1?port=p1")
    page.get_by_role("button", name="Close this port").click()
    page.get_by_label("Reason").fill("a trial")
    page.get_by_role("button", name="Show the plan").click()
    send = page.get_by_role("button", name="Send it to core-1")
    expect(send).to_be_disabled()
    page.get_by_label("uplink: it leads to").check()
    expect(send).to_be_enabled()
    page.context.close()


@pytest.mark.parametrize("path", ["/rules/closed"])
def test_the_page_can_be_used_by_everybody(visitor: Page, path: str) -> None:
    visitor.goto(path)
    visitor.get_by_role("heading", name="What was done").wait_for()
    expect(visitor.get_by_role("main")).not_to_contain_text("loading")
    assert violations(visitor) == []
