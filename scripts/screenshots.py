"""Takes the pictures in docs/screenshots from the demo: pages in headless Chromium, commands in a
terminal window under Xvfb. Run by `make screenshots`, after a change of how anything looks."""

import os
import shlex
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path

from playwright.sync_api import Browser, sync_playwright

from kiteroll.client import Client, ServiceUnreachable, begin_rehearsal, findings, rehearsal, switches
from kiteroll.clock import SystemClock
from kiteroll.schemas.api import NewRehearsal, RuleChange

ROOT = Path(__file__).parent.parent
SHOTS = ROOT / "docs" / "screenshots"
SIZE = {"width": 1280, "height": 800}
PORT = 8499
LAB_PORT = 16199
DISPLAY = ":97"
CHROMIUM = (
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
)

YESTERDAY_NOON = (SystemClock().now() - timedelta(days=1)).strftime("%Y-%m-%dT12:30:00Z")
TIGHTER = RuleChange(switch="workshop", seats=1)
"""The change that is rehearsed."""
EARLY = {
    "port": ("/switches/quay-1?port=p15", "light"),
    "roll-call": ("/roll-call", "light"),
    "rules": ("/rules?where=group:quays&sort=state", "light"),
}
"""While the visitor of the story is there."""
PAGES = {
    "today": ("/", "light"),
    "find": ("/?q=9e:4a", "light"),
    "finding": ("/findings/LOOP", "light"),
    "findings": ("/findings?state=open", "dark"),
    "endpoint": ("/endpoints/02:1a:09:01:9e:4a", "light"),
    "enrolment": ("/rules/enrolment", "light"),
    "rehearsal": ("/rules/rehearsal", "light"),
    "map": ("/map?mac=02:1a:09:01:9e:4a", "light"),
    "switches": ("/switches", "light"),
    "switch-light": ("/switches/checkin-east", "light"),
    "alerts": ("/service", "dark"),
}
LATE = {"closed-ports": ("/rules/closed", "light")}
"""Once the port of the boat's box is held closed."""
COMMANDS = {
    "cli-find": "kiteroll find 9e:4a berth; kiteroll endpoint list --switch checkin-east --port p10; "
    "kiteroll changes --limit 8",
    "cli-endpoint": "kiteroll endpoint show 02:1a:09:01:9e:4a | head -26; kiteroll finding list --limit 4",
    "cli-rollcall": "kiteroll roll-call checkin-east p6; kiteroll rehearse --switch workshop --seats 1; "
    f"kiteroll find 10.10.0.121 --at {YESTERDAY_NOON}; kiteroll path 02:1a:0a:02:3c:bc --at {YESTERDAY_NOON}",
    "cli-acting": "kiteroll port close ticket-hall p3 --reason 'found open after hours' --dry-run; "
    "kiteroll port closed; kiteroll action list --port p17; kiteroll switch ageing-time quay-2; "
    f"kiteroll probe 127.77.0.8:{LAB_PORT} --community tarn-read | head -12",
}


@contextmanager
def demo(data: Path) -> Iterator[str]:
    command = [sys.executable, "-m", "kiteroll.cli", "demo", "--data", str(data)]
    command += ["--listen-port", str(PORT), "--lab-port", str(LAB_PORT), "--story-from", "350"]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        until = time.monotonic() + 120
        while not _all_read(data):
            assert time.monotonic() < until and process.poll() is None, "the demo does not start"
            time.sleep(0.5)
        yield (data / "token").read_text().strip()
    finally:
        process.terminate()
        process.wait(30)


def _all_read(data: Path) -> bool:
    try:
        with Client(f"http://127.0.0.1:{PORT}", (data / "token").read_text().strip()) as client:
            known = list(client.each(switches()))
    except (ServiceUnreachable, FileNotFoundError):
        return False
    return len(known) == 12 and all(one.health in ("read", "partial") for one in known)


def _await(token: str, kind: str, said: str = "") -> int:
    """Number of the finding of a kind, once it is open, and its title says so."""
    until = time.monotonic() + 600
    with Client(f"http://127.0.0.1:{PORT}", token) as client:
        while True:
            all_of_kind = (one for one in client.each(findings()) if one.kind == kind)
            found = next((one.id for one in all_of_kind if said in one.title), None)
            if found is not None:
                return found
            assert time.monotonic() < until, f"{kind} is not reported"
            time.sleep(1)


def _rehearse(token: str) -> None:
    """So that there is one to be shown."""
    with Client(f"http://127.0.0.1:{PORT}", token) as client:
        run = client.send(begin_rehearsal(NewRehearsal(changes=[TIGHTER])))
        while client.send(rehearsal(run.id)).state == "running":
            time.sleep(0.5)


def pages(browser: Browser, token: str, wanted: Mapping[str, tuple[str, str]]) -> None:
    for name, (path, scheme) in wanted.items():
        context = browser.new_context(viewport=SIZE, color_scheme=scheme, locale="en-GB")  # type: ignore[arg-type]
        page = context.new_page()
        page.goto(f"http://127.0.0.1:{PORT}/")
        page.get_by_role("button", name="With a token instead").click()
        page.get_by_label("Token").fill(token)
        page.keyboard.press("Enter")
        page.get_by_role("navigation").first.wait_for()
        page.goto(f"http://127.0.0.1:{PORT}{path}")
        page.locator("main table, main svg, main section p").locator("visible=true").first.wait_for()
        page.wait_for_timeout(1500)
        page.screenshot(path=SHOTS / f"{name}.png")
        context.close()


def commands(data: Path) -> None:
    environment = {
        **os.environ,
        "DISPLAY": DISPLAY,
        "KITEROLL_DATA": str(data),
        "PS1": "$ ",
        "KITEROLL_URL": f"http://127.0.0.1:{PORT}",
        "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}",
    }
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1)
        for name, command in COMMANDS.items():
            shown = "; ".join(
                f"echo {shlex.quote(f'$ {one.strip()}')}; {one}; echo" for one in command.split(";")
            )
            look = ("-fa", "DejaVu Sans Mono", "-fs", "10", "-bg", "#10181c", "-fg", "#e6ebe9")
            window = ("-geometry", "158x50+0+0", "-e", "bash", "-c", f"{shown}; sleep 60")
            terminal = subprocess.Popen(["xterm", *look, *window], env=environment)
            time.sleep(8)
            subprocess.run(
                ["import", "-display", DISPLAY, "-window", "root", str(SHOTS / f"{name}.png")], check=True
            )
            terminal.terminate()
            terminal.wait()
    finally:
        screen.terminate()
        screen.wait()


def main() -> int:
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as directory:
        data = Path(directory) / "data"
        with demo(data) as token:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(CHROMIUM))
                _await(token, "stranger")
                pages(browser, token, EARLY)
                PAGES["finding"] = (f"/findings/{_await(token, 'loop')}", "light")
                time.sleep(60)  # the loop then is over, and what it was shows whole
                _rehearse(token)
                pages(browser, token, PAGES)
                _await(token, "port-closed", "held closed")
                pages(browser, token, LATE)
                browser.close()
            commands(data)
    return 0


if __name__ == "__main__":
    sys.exit(main())
