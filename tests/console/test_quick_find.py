"""Finding from every page by keyboard alone, and what the browser calls a page, in a real browser."""

import re

from playwright.sync_api import Browser, expect

from kiteroll.client import stays
from tests.console.conftest import open_console, sign_in, violations
from tests.support.harness import Service


def test_everything_is_found_from_everywhere_by_keyboard_alone(browser: Browser, service: Service) -> None:
    with service.client() as kite:
        somebody = next(iter(kite.each(stays(switch="quay-1", uplinks=False)))).mac
    page = open_console(browser, service)
    sign_in(page, service)
    page.goto("/vlans")
    expect(page).to_have_title("VLANs – Kite Roll")
    page.keyboard.press("Control+k")
    box = page.get_by_role("combobox", name="find anything")
    expect(box).to_be_focused()
    box.fill(somebody[-8:])
    first = page.get_by_role("option").first
    expect(first).to_contain_text(somebody)
    expect(first).to_contain_text("quay-1")
    assert violations(page) == []
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/endpoints/"))
    expect(page).to_have_title(f"{somebody} – Kite Roll")

    page.keyboard.press("/")
    expect(page.get_by_text(somebody[-8:], exact=True)).to_be_visible()  # of late
    box.fill("audit")
    expect(page.get_by_role("option")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page).to_have_title("Audit log – Kite Roll")
    page.keyboard.press("Control+k")
    box.fill("quay-")
    expect(page.get_by_role("option").filter(has_text="quay-3").first).to_be_visible()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("option").nth(1)).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Escape")
    expect(box).to_be_hidden()
    page.context.close()
