"""The console in real Chromium on 500,000 endpoints: first load, search, a switch, scrolling, live events.

KITEROLL_BENCH_DATA names a directory in which the filled database is kept for the next run.
"""

import os
import statistics
import tempfile
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

import httpx
from playwright.sync_api import CDPSession, Page, sync_playwright
from tests.console.conftest import QUIET, sign_in_by_token

from bench.filled import fill
from bench.history import client, statements
from bench.measure import row
from bench.service import running
from kiteroll.core.model.reading import Device, Oper, Port, Reading, key_of
from kiteroll.schemas.reading_convert import to_document

KEPT = os.environ.get("KITEROLL_BENCH_DATA")
SWITCH, PORTS, ADDRESSES = "wide-1", 96, 2000
SEARCHES = 20
EVENTS_A_SECOND = 50
LIVE_S = 15
SCROLL_S = 4

_SPENT = ("ScriptDuration", "RecalcStyleDuration", "LayoutDuration")

_WATCH = """
window.longTasks = [];
new PerformanceObserver((list) => {
  for (const entry of list.getEntries()) window.longTasks.push(entry.duration);
}).observe({ type: "longtask", buffered: true });
window.painted = (digits) => new Promise((resolve) => {
  let pressed = 0;
  const box = document.querySelector("[role=combobox]");
  box.addEventListener("keydown", () => { pressed = performance.now(); }, { once: true });
  const look = () => {
    const hit = [...document.querySelectorAll("[role=option]")].some((one) =>
      one.innerText.split("\\n").some((text) => text.replaceAll(":", "").includes(digits)));
    if (pressed && hit) requestAnimationFrame(() => resolve(performance.now() - pressed));
    else requestAnimationFrame(look);
  };
  look();
});
window.idle = () => new Promise((resolve) => {
  const look = () => {
    const rows = document.querySelectorAll("section[aria-label='who is on each port'] tbody tr");
    if (rows.length > 20) requestIdleCallback(() => resolve(performance.now()));
    else requestAnimationFrame(look);
  };
  look();
});
window.opened = (ports, began) => new Promise((resolve) => {
  const look = () => {
    const there = document.querySelectorAll("[role=group][aria-label=ports] button");
    if (there.length >= ports && !document.querySelector("[role=dialog]")) there[ports - 1].click();
    if (!document.querySelector("[role=dialog] h2")) requestAnimationFrame(look);
    else requestAnimationFrame(() => resolve(performance.now() - began));
  };
  look();
});
window.plain = () => {
  const box = document.querySelector("section[aria-label=endpoints]");
  const copy = box.cloneNode(true);
  const rows = [...copy.querySelectorAll("tbody tr[data-index]")];
  const body = copy.querySelector("tbody");
  body.replaceChildren();
  for (let time = 0; time < 40; time++) body.append(...rows.map((row) => row.cloneNode(true)));
  box.replaceWith(copy);
  copy.scrollTop = 0;
};
window.frames = (seconds) => new Promise((resolve) => {
  const box = document.querySelector("section[aria-label=endpoints]");
  const began = performance.now();
  const gaps = [];
  let last = began;
  const step = (now) => {
    gaps.push(now - last);
    last = now;
    box.scrollTop += 100;
    if (now - began < 1000 * seconds) requestAnimationFrame(step);
    else resolve({ frames: gaps.length / ((now - began) / 1000), worst: Math.max(...gaps.slice(1)) });
  };
  requestAnimationFrame(step);
});
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        data = Path(KEPT or directory) / "data"
        if not data.exists():
            data.mkdir(parents=True)
            fill(data / "database", statements(0))
        # The thousand switches answer nobody: tried once an hour, they do not keep the machine busy.
        with (
            running(data, {"KITEROLL_INTERVAL": "1h"}) as (port, _),
            client(port, data) as http,
            sync_playwright() as playwright,
        ):
            http.post("/switches", json={"name": SWITCH, "source": "files"})
            _bring(http, 0)
            _settle(http)
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(QUIET))
            context = browser.new_context(
                viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}"
            )
            context.add_init_script(_WATCH)
            page = context.new_page()
            sign_in_by_token(page, (data / "token").read_text().strip())
            for measure in (_first_load, _searches, _switch, _scroll):
                measure(page)
            _live(page, http)
            browser.close()


def _settle(http: httpx.Client) -> None:
    """Until what the service works out after its start is done: how 500,000 addresses hang together."""
    quick, until = 0, time.monotonic() + 120
    while quick < 10 and time.monotonic() < until:
        began = time.perf_counter()
        http.get("/search", params={"q": "52a8"}).raise_for_status()
        quick = quick + 1 if time.perf_counter() - began < 0.08 else 0
        time.sleep(0.5)


def _first_load(page: Page) -> None:
    page.goto("/")
    page.get_by_text("endpoints known").wait_for()
    page.wait_for_timeout(2000)
    sizes: list[int] = page.evaluate(
        "() => performance.getEntriesByType('resource').filter((one) => one.name.endsWith('.js'))"
        ".map((one) => one.encodedBodySize)"
    )
    row("scripts of the first page, compressed", f"{sum(sizes) / 1000:.0f} kB", f"{len(sizes)} files")


def _searches(page: Page) -> None:
    page.goto("/vlans")
    page.get_by_role("heading", name="VLANs").wait_for()
    took = []
    for number in range(SEARCHES):
        digits = f"{(0x1234 + number * 5077) % 0x7A120:05x}"
        page.keyboard.press("Control+k")
        box = page.get_by_role("combobox", name="find anything")
        box.fill(digits[:-1])
        page.wait_for_timeout(400)
        page.evaluate(f"() => {{ window.waiting = window.painted('{digits}'); }}")
        page.keyboard.press(digits[-1])
        took.append(float(page.evaluate("() => window.waiting")))
        box.fill("")
        page.keyboard.press("Escape")
    _reported("key to painted answer, among 500,000", took)


def _switch(page: Page) -> None:
    """By the clock of the page: from the beginning of its load until a port that was pressed at once is open,
    and until it is idle with everything in it; then until another port is open."""
    first, loaded, opened = [], [], []
    for _ in range(9):
        _begin_switch(page)
        first.append(float(page.evaluate(f"() => window.opened({PORTS}, 0)")))
        _begin_switch(page)
        loaded.append(float(page.evaluate("() => window.idle()")))
        opened.append(float(page.evaluate(f"() => window.opened({PORTS}, performance.now())")))
    what = f"a switch of {PORTS} ports, {ADDRESSES:,} addresses"
    _reported(f"{what}: pressed, a port is open", first)
    _reported(f"{what}: idle", loaded)
    _reported("a port of it opened at the side later", opened)


def _begin_switch(page: Page) -> None:
    page.goto("/vlans")
    page.get_by_role("heading", name="VLANs").wait_for()
    page.goto(f"/switches/{SWITCH}", wait_until="commit")


def _scroll(page: Page) -> None:
    page.goto("/endpoints")
    page.get_by_label("endpoints", exact=True).get_by_role("row").nth(10).wait_for()
    page.wait_for_timeout(1500)
    metrics = page.context.new_cdp_session(page)
    metrics.send("Performance.enable")
    before = _spent(metrics)
    seen = page.evaluate(f"() => window.frames({SCROLL_S})")
    after, frames = _spent(metrics), seen["frames"] * SCROLL_S
    reported = page.get_by_text("loaded").first.inner_text()
    row(
        "scrolling endpoints, 100 px a frame",
        f"{seen['frames']:.0f} frames/s",
        f"longest {seen['worst']:.0f} ms; {reported}",
    )
    parts = {name: 1000 * (after[name] - before[name]) / frames for name in _SPENT}
    row(
        "what of it is not drawing, a frame",
        f"{sum(parts.values()):.1f} ms",
        ", ".join(f"{name.removesuffix('Duration').lower()} {ms:.1f}" for name, ms in parts.items()),
    )
    page.evaluate("() => window.plain()")
    page.wait_for_timeout(500)
    plain = page.evaluate(f"() => window.frames({SCROLL_S})")
    ratio = f"{seen['frames'] / plain['frames']:.2f} of it with the table"
    row("the same rows without any script", f"{plain['frames']:.0f} frames/s", ratio)


def _spent(metrics: CDPSession) -> dict[str, float]:
    """Seconds of the page's main thread so far."""
    reported = metrics.send("Performance.getMetrics")["metrics"]
    return {one["name"]: one["value"] for one in reported if one["name"] in _SPENT}


def _live(page: Page, http: httpx.Client) -> None:
    """Longest task of the page while events arrive, on the pages that show most of them."""
    for path in ("/", f"/switches/{SWITCH}", "/history"):
        page.goto(path)
        page.wait_for_timeout(2500)
        page.evaluate("window.longTasks.length = 0")
        stop = threading.Event()
        count: list[int] = []
        feeding = threading.Thread(target=_feed, args=(http, stop, count))
        feeding.start()
        page.wait_for_timeout(LIVE_S * 1000)
        stop.set()
        feeding.join()
        tasks: list[float] = page.evaluate("window.longTasks")
        note = f"{len(tasks)} over 50 ms; {sum(count) / LIVE_S:.0f} changes/s"
        row(f"longest task while events arrive, {path}", f"{max(tasks, default=0):.0f} ms", note)


def _feed(http: httpx.Client, stop: threading.Event, count: list[int]) -> None:
    """Twice a second by the clock, however long each takes."""
    half = EVENTS_A_SECOND // 2
    number, due = 1, time.monotonic()
    while not stop.wait(max(0, due - time.monotonic())):
        _bring(http, number * half)
        count.append(half)
        number += 1
        due += 0.5


def _bring(http: httpx.Client, moved: int) -> None:
    """A reading of the switch in which so many addresses are one port further than at first."""
    learned = {
        key_of(0x02FE00000000 + number, 10 + number % 5): 1
        + (number + moved // ADDRESSES + (number < moved % ADDRESSES)) % PORTS
        for number in range(ADDRESSES)
    }
    reading = Reading(
        switch=SWITCH,
        taken_at=datetime.now(UTC),
        device=Device(name=SWITCH, uptime_ticks=1_000_000 + int(time.monotonic() * 100)),
        ports=tuple(Port(number=one, name=f"1/0/{one}", oper=Oper.UP) for one in range(1, PORTS + 1)),
        learned=learned,
    )
    http.post("/readings", json=[to_document(reading).model_dump(mode="json")]).raise_for_status()


def _reported(label: str, took: list[float]) -> None:
    row(label, f"median {statistics.median(took):.0f} ms", f"longest {max(took):.0f} ms of {len(took)}")
