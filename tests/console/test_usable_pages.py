"""Every page is usable by people who see, hear or type differently: axe-core finds nothing wrong with it."""

import pytest
from playwright.sync_api import Page

from tests.console.conftest import violations

PAGES = (
    *("/", "/?q=02:1a:05", "/switches", "/switches/core-1?port=p4", "/vlans", "/vlans/30", "/compare"),
    *("/map?mac=02:1a:09:01:9e:4a", "/map?view=sites", "/findings", "/endpoints/02:1a:09:01:9e:4a"),
    *("/endpoints", "/switches?add=yes", "/switches/core-1?tab=readings", "/history/readings"),
    *("/inventory/import", "/inventory/links", "/inventory/collectors"),
)
IN_DARK = (
    *("/", "/switches/core-1?port=p4", "/map?view=sites", "/findings", "/endpoints/02:1a:09:01:9e:4a"),
    *("/endpoints", "/switches?add=yes", "/rules", "/service"),
)
"""Of each kind of part one: all take their colours from one theme."""


@pytest.mark.parametrize("path", PAGES)
def test_a_page_is_usable_by_everybody(visitor: Page, path: str) -> None:
    _check(visitor, path)


@pytest.mark.parametrize("path", IN_DARK)
@pytest.mark.parametrize("visitor", ["dark"], indirect=True)
def test_a_page_is_usable_in_dark_colours(visitor: Page, path: str) -> None:
    _check(visitor, path)


def _check(visitor: Page, path: str) -> None:
    visitor.goto(path)
    shown = "main table, main svg, main section p, main textarea, main section li, main [role=status]"
    visitor.locator(f":is({shown}):not([aria-label=loading])").locator("visible=true").first.wait_for()
    visitor.wait_for_load_state("networkidle") if "findings" in path else None
    assert violations(visitor) == []
