"""Pasted lists, labels before their address, kept queries and links to devices, in a real browser."""

import re

from playwright.sync_api import Browser, expect

from kiteroll.client import change_labels, remove_device_link, remove_label, set_device_link, stays
from kiteroll.schemas.api import DeviceLinkText, LabelChange, LabelChanges
from tests.console.conftest import open_console, sign_in, violations
from tests.support.harness import Service

NEW = "02:1a:ee:77:00:02"


def test_a_pasted_list_is_kept_by_name_and_leads_to_devices(browser: Browser, service: Service) -> None:
    with service.client() as kite:
        kite.send(change_labels(LabelChanges(labels={NEW: LabelChange(label="Spare crane", owner="Quays")})))
        kite.send(set_device_link("shell", DeviceLinkText(template="ssh://{address}")))
        kite.send(set_device_link("web", DeviceLinkText(of="endpoint", template="https://{ip}/")))
        somebody = next(iter(kite.each(stays(switch="quay-1", uplinks=False)))).mac
    page = open_console(browser, service)
    sign_in(page, service)
    page.goto(f"/?q={somebody}, nowhere-at-all, spare crane")
    expect(page.get_by_text("No match for nowhere-at-all")).to_be_visible()
    expect(page.get_by_role("heading", name="Never seen")).to_be_visible()
    expect(page.get_by_text("no switch has learned it yet")).to_be_visible()
    page.get_by_text("Keep this query").click()
    page.get_by_label("Name").fill("my-list")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("my-list is kept")).to_be_visible()
    assert violations(page) == []
    page.goto("/")
    page.get_by_role("link", name="my-list").click()
    expect(page.get_by_text("No match for nowhere-at-all")).to_be_visible()
    page.goto("/")
    page.get_by_role("button", name="keep my-list no longer").click()
    expect(page.get_by_role("heading", name="Kept queries")).to_have_count(0)

    page.goto("/switches/quay-1")
    shell = page.get_by_label("links to the device").get_by_role("link", name="shell")
    expect(shell).to_have_attribute("href", "ssh://127.77.0.8")
    page.goto(f"/endpoints/{somebody}")
    web = page.get_by_label("links to the device").get_by_role("link", name="web")
    expect(web).to_have_attribute("href", re.compile(r"^https://10\.\d+\.\d+\.\d+/$"))
    page.context.close()
    with service.client() as kite:
        kite.send(remove_label(NEW))
        kite.send(remove_device_link("shell"))
        kite.send(remove_device_link("web"))
