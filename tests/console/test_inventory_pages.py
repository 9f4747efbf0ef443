"""From nothing to switches that are read, and changing many, in a real browser on a service of its own."""

import re

from playwright.sync_api import Browser, Page, expect

from kiteroll.client import change_switch, credentials, switch, switches
from kiteroll.schemas.api import SwitchChange
from tests.console.conftest import open_console, sign_in, violations
from tests.support.harness import Lab, NewService, Service


def test_the_first_page_leads_from_nothing_to_a_switch_that_is_read(
    browser: Browser, lab: Lab, new_service: NewService
) -> None:
    service = new_service()
    page = open_console(browser, service)
    sign_in(page, service)
    expect(page.get_by_role("heading", name="Nothing is read yet")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("link", name="Add a credential").click()
    page.get_by_role("button", name="Add a credential").click()
    form = page.get_by_role("dialog")
    form.get_by_label("Name").fill("site read")
    form.get_by_label("Community").fill(lab.access["quay-1"].community or "")
    form.get_by_label("Try it on").fill(lab.switches["quay-1"])
    form.get_by_label("UDP port").fill(str(lab.port))
    form.get_by_role("button", name="Try it first").click()
    expect(form.get_by_text("✓ It answers.")).to_be_visible()
    expect(form.get_by_text("Quay cabin 1")).to_be_visible()
    form.get_by_role("button", name="Add it").click()
    name = form.get_by_label("Name")
    expect(name).to_have_attribute("aria-invalid", "true")
    expect(form.get_by_text("is not a valid name", exact=False)).to_be_visible()
    # Whoever leaves with something typed is asked first.
    page.keyboard.press("Escape")
    expect(form.get_by_text("What you typed is not saved.")).to_be_visible()
    form.get_by_role("button", name="Stay").click()
    name.fill("site-read")
    form.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("cell", name="site-read", exact=True)).to_be_visible()

    page.goto("/")
    page.get_by_role("button", name="Add the first switch").click()
    form.get_by_label("Name").fill("quay-1")
    form.get_by_label("Address", exact=True).fill(lab.switches["quay-1"])
    form.get_by_label("UDP port").fill(str(lab.port))
    form.get_by_label("Credential").select_option("site-read")
    form.get_by_label("Site", exact=True).fill("Quays")
    form.get_by_role("button", name="Add the switch").click()
    expect(page.get_by_role("heading", name="quay-1")).to_be_visible()
    expect(page.get_by_role("group", name="ports").get_by_role("button").first).to_be_visible()

    page.goto("/inventory/discovered")
    page.get_by_role("button", name=re.compile("^Add core-")).first.click()
    expect(form.get_by_label("Name")).to_have_value(re.compile("^core-"))
    form.get_by_label("Credential").select_option("site-read")
    form.get_by_label("UDP port").fill(str(lab.port))
    form.get_by_role("button", name="Add the switch").click()
    expect(page.get_by_role("heading", name=re.compile("^core-"))).to_be_visible()

    _change_many(page, service)
    page.context.close()


def _change_many(page: Page, service: Service) -> None:
    """A file is compared first; many get one setting; one is changed and removed."""
    page.goto("/inventory/import")
    lines = page.get_by_label("lines of the inventory")
    lines.fill("name;notes;site\nquay-1;by the ramp;\n;x;y")
    expect(page.get_by_text("Line 3: it has no name")).to_be_visible()
    lines.fill("name;notes;site\nquay-1;by the ramp;\nquay-9;;Quays")
    expect(page.get_by_text("quay-9 is new and has no address")).to_be_visible()
    lines.fill("name;notes;address;enabled\nquay-1;by the ramp;;\nquay-9;;192.0.2.9;no")
    expect(page.get_by_role("heading", name="1 added, 1 changed")).to_be_visible()
    page.get_by_role("button", name="Apply all of it").click()
    expect(page.get_by_role("alert")).to_contain_text("give credential")
    page.get_by_label("Credential of new ones").select_option("site-read")
    page.get_by_role("button", name="Check it against the service").click()
    expect(page.get_by_text("The service would accept it: 1 to add, 1 to change")).to_be_visible()
    with service.client() as kite:
        assert "quay-9" not in {one.name for one in kite.all(switches())}
        page.get_by_role("button", name="Apply all of it").click()
        expect(page.get_by_text("Done: 1 added, 1 changed")).to_be_visible()
        assert kite.send(switch("quay-1")).notes == "by the ramp"

        page.goto("/switches")
        for name in ("quay-1", "quay-9"):
            page.get_by_label(f"select {name}").check()
        chosen = page.get_by_role("group", name="with the selected rows")
        chosen.get_by_label("setting to change").select_option("groups")
        chosen.get_by_label("new groups").fill("edge, ramp")
        chosen.get_by_role("button", name="Set it").click()
        expect(chosen).to_have_count(0)
        assert kite.send(switch("quay-9")).groups == ["edge", "ramp"]

        page.goto("/switches/quay-9")
        page.get_by_role("button", name="Change", exact=True).click()
        form = page.get_by_role("dialog")
        form.get_by_label("Read every (s)").fill("2")
        form.get_by_role("button", name="Save").click()
        expect(form.get_by_text("must be at least 5", exact=False)).to_be_visible()
        form.get_by_label("Read every (s)").fill("600")
        form.get_by_role("button", name="Save").click()
        expect(form).to_have_count(0)
        assert kite.send(switch("quay-9")).interval_s == 600
        page.get_by_role("button", name="Remove quay-9").click()
        page.get_by_role("alertdialog").get_by_role("button", name="Remove quay-9").click()
        expect(page).to_have_url(re.compile(r"/switches$"))
        assert "quay-9" not in {one.name for one in kite.all(switches())}
        assert [one.used_by for one in kite.all(credentials())] == [2]


def test_settings_of_sites_groups_links_and_addresses_are_kept(browser: Browser, service: Service) -> None:
    page = open_console(browser, service)
    sign_in(page, service)
    with service.client() as kite:
        kite.send(change_switch("quay-1", SwitchChange(site="Quays")))
    page.goto("/inventory/places")
    limit = page.get_by_label("switches of Quays read at once")
    limit.fill("4")
    limit.press("Enter")
    page.reload()
    expect(limit).to_have_value("4")
    limit.fill("")
    limit.press("Enter")
    expect(page.get_by_role("button", name="Save")).to_have_count(0)
    with service.client() as kite:
        kite.send(change_switch("quay-1", SwitchChange(site="")))

    page.goto("/inventory/links")
    page.get_by_label("Name").fill("page")
    page.get_by_label("Template").fill("https://{adress}")
    page.get_by_role("button", name="Save it").click()
    expect(page.get_by_role("alert")).to_contain_text("{adress} is not known")
    page.get_by_label("Template").fill("https://{address}")
    page.get_by_role("button", name="Save it").click()
    expect(page.get_by_role("cell", name="https://{address}")).to_be_visible()
    page.get_by_role("button", name="Remove page").click()
    page.get_by_role("alertdialog").get_by_role("button", name="Remove page").click()
    expect(page.get_by_role("cell", name="https://{address}")).to_have_count(0)
    page.get_by_role("button", name="Add a mapping").click()
    form = page.get_by_role("dialog")
    for label, text in (("Name", "hut"), ("Column of the address", "mac"), ("Column of the port", "port")):
        form.get_by_label(label, exact=True).fill(text)
    form.get_by_role("button", name="Save").click()
    expect(page.get_by_role("cell", name="hut", exact=True)).to_be_visible()
    page.get_by_role("button", name="Remove hut").click()
    page.get_by_role("alertdialog").get_by_role("button", name="Remove hut").click()

    page.goto("/inventory/addresses")
    page.get_by_label("Address, or how it begins").fill("02:5e:00")
    page.get_by_label("Why").fill("router pair")
    page.get_by_role("button", name="Add it").first.click()
    expect(page.get_by_role("cell", name="router pair")).to_be_visible()
    page.get_by_role("row").filter(has_text="router pair").get_by_role("button").click()
    page.get_by_role("alertdialog").get_by_role("button", name=re.compile("^Remove")).click()
    expect(page.get_by_role("cell", name="router pair")).to_have_count(0)
    page.context.close()
