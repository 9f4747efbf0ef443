"""`kiteroll demo`: the service on the simulated network of Tarn Ferries, with some days behind it."""

import json
import secrets
import signal
import subprocess
import sys
import threading
import time
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

import httpx

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command
from kiteroll.cli.up import add_listen, exit_for, make_config, print_welcome, url_of
from kiteroll.client import (
    Client,
    ServiceError,
    ServiceUnreachable,
    add_credential,
    add_makers,
    add_switch,
    add_user,
    approve_proposal,
    bar,
    change_rules,
    change_switch,
    change_user,
    enrol,
    import_readings,
    open_window,
    proposals,
    set_alert_route,
    set_alert_target,
)
from kiteroll.clock import SystemClock
from kiteroll.core.errors import Conflict
from kiteroll.data_dir import TOKEN_FILE
from kiteroll.schemas.api import (
    AlertRouteSettings,
    AlertTargetSettings,
    Credential,
    FolderSettings,
    NewBarred,
    NewCredential,
    NewEntry,
    NewSwitch,
    NewUser,
    NewWindow,
    RuleChange,
    RuleLevel,
    RulesPatch,
    SwitchChange,
    UserChange,
)
from kiteroll.schemas.reading_document import ReadingDocument

if TYPE_CHECKING:
    from kiteroll.app.config import Config

DEMO_DATA = Path("var") / "demo"
_DEMO_INTERVAL_S = 10
PASSWORD = "over the tarn by ferry"
_PEOPLE: tuple[dict[str, Any], ...] = (
    {"name": "mara", "full_name": "Mara Lindqvist, network", "role": "administrator", "acts_on_ports": True},
    {"name": "ida", "full_name": "Ida Brandt, night shift", "role": "operator"},
    {"name": "joss", "full_name": "Joss Harrow, quays", "role": "operator", "sites": ["Quays"]},
    {"name": "visitor", "full_name": "Harbour office", "role": "viewer"},
)
_NAME_SERVER = "127.77.0.250"
"""Where the simulated network answers for host names."""
_LOOKS_FOR_S = 10.0
"""How long whoever is on duty looks at a proposal."""


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "demo",
        run_demo,
        "run the service on the simulated network of Tarn Ferries",
        detail="Twelve simulated switches on loopback answer real SNMP; things happen there.\n"
        "Ctrl-C stops all.",
    )
    parser.add_argument(
        "--data", metavar="DIR", default=str(DEMO_DATA), help=f"data directory (default {DEMO_DATA})"
    )
    parser.add_argument(
        "--lab-port", type=int, default=16100, metavar="PORT", help="UDP port of the agents (default 16100)"
    )
    parser.add_argument("--still", action="store_true", help="no events: the network at peace")
    parser.add_argument(
        "--story-from",
        type=float,
        default=0.0,
        metavar="SECONDS",
        help="begin the half hour of events in the middle (540: just before the loop)",
    )
    parser.add_argument(
        "--days",
        type=int,
        default=3,
        metavar="N",
        help="days of history to begin with, on a new data directory (default 3)",
    )
    add_listen(parser)


def run_demo(context: Context) -> Exit:
    from kiteroll.api.server import run
    from kiteroll.app.logs import set_up_logs

    args = context.args
    more = {
        "findings.silent_after": "3m",
        "findings.clear_after": "2m",
        "dns.enabled": True,
        "dns.servers": (f"{_NAME_SERVER}:{args.lab_port}",),
        "dns.rate": 100.0,
        "notifications.enabled": True,
        "notifications.host": "127.0.0.1",
        "notifications.port": args.lab_port + 1,
        "notifications.debounce": "1s",
        "acting.reopens": 1,
        "acting.ask_networks": ("127.77.0.0/24",),
        "acting.ask_rate": 50.0,
    }
    config = make_config(args, None, more)
    config = make_config(args, None, {**more, "listen.public_url": url_of(config)})
    set_up_logs(args.log_level or "WARNING")
    lab = _start_lab(args.lab_port, still=args.still, start_s=args.story_from)
    try:
        network = json.loads(_first_line(lab))
        enrol = threading.Thread(
            target=_add_switches, args=(config, network, args.days), name="demo-switches", daemon=True
        )

        def ready() -> None:
            enrol.start()
            print_welcome(config)
            names = ", ".join(one["name"] for one in _PEOPLE)
            print(f"  In the demo, {names} sign in with the password: {PASSWORD}\n", flush=True)

        return exit_for(run(config, ready))
    finally:
        lab.send_signal(signal.SIGTERM)
        try:
            lab.wait(5)
        except subprocess.TimeoutExpired:
            lab.kill()


def _start_lab(port: int, *, still: bool, start_s: float) -> "subprocess.Popen[str]":
    # A process of its own, as switches are, and out of the reach of this terminal's Ctrl-C: the
    # service is to stop before the network goes.
    return subprocess.Popen(
        [
            *(sys.executable, "-m", "kiteroll.lab", "--port", str(port), "--notify", str(port + 1)),
            *(["--still"] if still else ["--story-from", str(start_s)]),
        ],
        stdout=subprocess.PIPE,
        text=True,
        start_new_session=True,
    )


def _first_line(lab: "subprocess.Popen[str]") -> str:
    line = lab.stdout.readline() if lab.stdout else ""
    if not line:
        raise Conflict(
            "the simulated network does not start: another demo may be running (see the line above)"
        )
    return line


def _add_switches(config: "Config", network: dict[str, Any], days: int) -> None:
    """Put the simulated switches into the inventory, with some days of history, or update those that are
    there from last time."""
    token = (config.data_dir / TOKEN_FILE).read_text().strip()
    with Client(url_of(config), token) as client:
        client.send(add_makers(network["makers"]))
        for one in network["switches"]:
            access = Credential.model_validate(one["access"])
            where = {
                "host": one["address"],
                "port": network["port"],
                "access": access,
                "write_credential": _write_credential(client, one["write_access"]),
                **one["about"],
            }
            # Not read before its past is imported: readings are imported in order of time.
            new = NewSwitch(name=one["name"], interval_s=_DEMO_INTERVAL_S, enabled=False, **where)
            try:
                client.send(add_switch(new))
            except ServiceError as known:
                if known.status != 409:
                    raise
                days = 0
                client.send(change_switch(one["name"], SwitchChange(**where)))
        changes = [RuleChange(**rule) for rule in network["rules"]]
        client.send(change_rules(RulesPatch(changes=changes, reason="Tarn Ferries")))
        for entry in network["rolls"]:
            client.send(enrol(NewEntry(**entry)))
        for one in network["barred"]:
            client.send(bar(NewBarred(**one)))
        _add_people(client)
        _add_alerts(client, config.data_dir / "alerts")
        if days > 0:
            _import_past(client, days)
            _open_window(client, network["window"], days)
        for one in network["switches"]:
            client.send(change_switch(one["name"], SwitchChange(enabled=True)))
        with Client(url_of(config), _token_of(url_of(config), "mara")) as mara:
            _decide_on_proposals(mara)


def _write_credential(client: Client, access: dict[str, Any]) -> str:
    """Name of the credential that writes to a switch; made where it is not there yet."""
    name = "write-as-user" if access.get("user") else "write-by-community"
    try:
        client.send(add_credential(NewCredential(name=name, access=Credential.model_validate(access))))
    except ServiceError as known:
        if known.status != 409:
            raise
    return name


def _token_of(url: str, name: str) -> str:
    """A token that somebody makes after signing in, good for the day."""
    with httpx.Client(base_url=url, headers={"Origin": url}) as browser:
        signed_in = browser.post("/api/v1/session", json={"name": name, "password": PASSWORD})
        signed_in.raise_for_status()
        ends = SystemClock().now() + timedelta(hours=12)
        new = {
            "name": f"on-duty-{secrets.token_hex(4)}",
            "scopes": ["act-on-ports"],
            "expires_at": ends.isoformat(),
        }
        made = browser.post("/api/v1/tokens", json=new)
        made.raise_for_status()
        secret: str = made.json()["secret"]
        browser.delete("/api/v1/session")
    return secret


def _decide_on_proposals(client: Client) -> None:
    """Whoever is on duty approves what a rule proposes, after a look at it."""
    seen: dict[int, float] = {}
    while True:
        time.sleep(2)
        try:
            for one in client.each(proposals(states=["open"])):
                began = seen.setdefault(one.id, time.monotonic())
                if time.monotonic() - began > _LOOKS_FOR_S:
                    done = client.send(approve_proposal(one.id))
                    print(
                        f"demo: Mara approves closing {done.switch} port {done.port}: {done.why}", flush=True
                    )
        except ServiceError as refused:
            print(f"demo: a proposal could not be carried out: {refused}", flush=True)
        except ServiceUnreachable:
            return  # the demo ends


def _add_people(client: Client) -> None:
    """The crew who look after the network; the demo prints their password. The command line is `admin`."""
    client.send(change_user("admin", UserChange(acts_on_ports=True)))
    for one in _PEOPLE:
        try:
            client.send(add_user(NewUser.model_validate({**one, "password": PASSWORD})))
        except ServiceError as known:
            if known.status != 409:
                raise


def _add_alerts(client: Client, folder: Path) -> None:
    """Whoever is on duty gets alerts of what is serious; here that is a folder."""
    where = FolderSettings(kind="folder", path=str(folder.absolute()))
    client.send(set_alert_target("on-duty", AlertTargetSettings(settings=where)))
    client.send(set_alert_route("serious", AlertRouteSettings(target="on-duty", severity="serious")))


def _open_window(client: Client, level: dict[str, str], days: int) -> None:
    """From the first of the days of history on, and for a week: its candidates are there at once."""
    now = SystemClock().now()
    client.send(
        open_window(
            NewWindow(
                level=RuleLevel(**level),
                begins_at=now - timedelta(days=days),
                ends_at=now + timedelta(days=7),
                min_present_s=3600,
                note="who belongs to the crew room",
            )
        )
    )


def _import_past(client: Client, days: int) -> None:
    """Readings of the days before, as the simulated network would give them."""
    command = [sys.executable, "-m", "kiteroll.lab", "--past", str(days)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as lab:
        for line in lab.stdout or ():
            documents = [ReadingDocument.model_validate(one) for one in json.loads(line)]
            client.send(import_readings(documents))
