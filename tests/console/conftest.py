"""Headless Chromium from Debian, signed in to the real service."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.support.harness import Service

AXE = Path(__file__).parents[2] / "console" / "node_modules" / "axe-core" / "axe.min.js"
QUIET = (
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-dev-shm-usage", "--disable-background-networking", "--disable-component-update", "--disable-sync",
)

PATIENCE_MS = 15_000
"""A page may wait for a machine that other tests keep busy."""
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium", "args": list(QUIET)}


@pytest.fixture(params=["light", "dark"])
def scheme(request: pytest.FixtureRequest) -> str:
    return str(request.param)


def open_console(browser: Browser, service: Service, scheme: str = "light", **options: Any) -> Page:
    """`options`: of the browser's context, beside the usual ones or in their place."""
    usual = {"viewport": {"width": 1280, "height": 800}, "locale": "en-GB"}
    given = {**usual, "color_scheme": scheme, "base_url": service.url, **options}
    page = browser.new_context(**given).new_page()
    page.set_default_timeout(PATIENCE_MS)
    return page


def sign_in(page: Page, service: Service) -> None:
    sign_in_by_token(page, service.token)


def sign_in_by_token(page: Page, token: str) -> None:
    """As the page does that asks for it, without waiting for what is drawn meanwhile."""
    answer = page.request.post("/api/v1/session", data={"token": token})
    assert answer.ok, answer.text()
    page.goto("/")
    page.get_by_role("navigation").wait_for()


@pytest.fixture
def page(browser: Browser, service: Service) -> Iterator[Page]:
    """Signed in, light colours; complaints of the browser fail the test."""
    opened = open_console(browser, service)
    complaints: list[str] = []
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    opened.on("console", lambda said: complaints.append(said.text) if said.type == "error" else None)
    sign_in(opened, service)
    yield opened
    opened.context.close()
    assert complaints == []


@pytest.fixture(scope="session", params=["light"])
def visitor(request: pytest.FixtureRequest, browser: Browser, service: Service) -> Iterator[Page]:
    """Signed in once for each colour scheme, for tests that go from page to page and change nothing."""
    opened = open_console(browser, service, request.param)
    sign_in(opened, service)
    yield opened
    opened.context.close()


def violations(page: Page) -> list[str]:
    """What axe-core finds wrong with the page for people who see, hear or type differently."""
    page.evaluate(AXE.read_text())
    found = page.evaluate("async () => (await axe.run()).violations")
    return [f"{one['id']}: {one['nodes'][0]['html'][:160]}" for one in found]
