"""`kiteroll up` and `kiteroll demo`: running the service in the foreground.

The service is imported only when one of them runs: that takes a second, and every other command
shall answer sooner.
"""

import json
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kiteroll.cli.context import Context
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command
from kiteroll.client import Client, ServiceError, add_switch, change_switch, enrol, keep_makers, set_rule
from kiteroll.core.errors import Conflict
from kiteroll.data_dir import TOKEN_FILE
from kiteroll.schemas.api import Credential, NewEntry, NewRule, NewSwitch, SwitchChange

if TYPE_CHECKING:
    from kiteroll.service.config import Config

DEMO_DATA = Path("var") / "demo"
_DEMO_INTERVAL_S = 10
_NAME_SERVER = "127.77.0.250"
"""Where the simulated network answers for host names."""


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "up",
        run_up,
        "run the service until it is told to stop",
        detail="Without database.url it starts a private MariaDB server on loopback, its data under\n"
        "the data directory. docs/operating.md lists the settings.",
    )
    parser.add_argument("--config", metavar="FILE", help="settings, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--data", metavar="DIR", help="data directory (KITEROLL_DATA)")
    _add_listen(parser)

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
    _add_listen(parser)


def _add_listen(parser: Any) -> None:
    parser.add_argument(
        "--listen-host", metavar="HOST", help="address to answer on (KITEROLL_LISTEN_HOST; default 127.0.0.1)"
    )
    parser.add_argument(
        "--listen-port", type=int, metavar="PORT", help="port (KITEROLL_LISTEN_PORT; default 8480)"
    )
    parser.add_argument(
        "--log-level", choices=("DEBUG", "INFO", "WARNING", "ERROR"), help="least weight of a log line shown"
    )
    parser.set_defaults(format="table")


def run_up(context: Context) -> Exit:
    from kiteroll.service.logs import set_up_logs
    from kiteroll.service.run import run

    args = context.args
    file = args.config or os.environ.get("KITEROLL_CONFIG")
    config = _config(args, Path(file) if file else None)
    set_up_logs(args.log_level or "INFO")
    return _exit(run(config, lambda: _welcome(config)))


def run_demo(context: Context) -> Exit:
    from kiteroll.service.logs import set_up_logs
    from kiteroll.service.run import run

    args = context.args
    more = {
        "findings.silent_after": "1m",
        "findings.quiet": "2m",
        "names.look_up": True,
        "names.servers": (f"{_NAME_SERVER}:{args.lab_port}",),
        "names.a_second": 100.0,
        "notifications.listen": True,
        "notifications.host": "127.0.0.1",
        "notifications.port": args.lab_port + 1,
        "notifications.settle": "1s",
    }
    config = _config(args, None, more)
    set_up_logs(args.log_level or "WARNING")
    lab = _start_lab(args.lab_port, still=args.still, start_s=args.story_from)
    try:
        network = json.loads(_first_line(lab))
        enrol = threading.Thread(
            target=_add_switches, args=(config, network), name="demo-switches", daemon=True
        )

        def ready() -> None:
            enrol.start()
            _welcome(config)

        return _exit(run(config, ready))
    finally:
        lab.send_signal(signal.SIGTERM)
        try:
            lab.wait(5)
        except subprocess.TimeoutExpired:
            lab.kill()


def _config(args: Any, file: Path | None, more: Mapping[str, Any] | None = None) -> "Config":
    from kiteroll.service.config import load_config

    flags = {"data_dir": args.data, "listen.host": args.listen_host, "listen.port": args.listen_port}
    return load_config(file, os.environ, {**flags, **(more or {})})


def _exit(code: int) -> Exit:
    return Exit.FINE if code == 0 else Exit.FAULT


def _welcome(config: "Config") -> None:
    token_file = config.data_dir / TOKEN_FILE
    print(
        f"\nKite Roll answers at {_url(config)}\n"
        f"  console: open it in a browser and sign in with the token {token_file.read_text().strip()}\n"
        f"  CLI:     export KITEROLL_DATA={config.data_dir} KITEROLL_URL={_url(config)}\n"
        f"           kiteroll switch list\n"
        f"  the token stands in {token_file}; Ctrl-C stops the service\n",
        flush=True,
    )


def _url(config: "Config") -> str:
    host = f"[{config.listen.host}]" if ":" in config.listen.host else config.listen.host
    return f"http://{host}:{config.listen.port}"


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


def _add_switches(config: "Config", network: dict[str, Any]) -> None:
    """Put the simulated switches into the inventory, or mend those that are there from last time."""
    token = (config.data_dir / TOKEN_FILE).read_text().strip()
    with Client(_url(config), token) as client:
        client.ask(keep_makers(network["makers"]))
        for one in network["switches"]:
            access = Credential.model_validate(one["access"])
            where = {"host": one["address"], "port": network["port"], "access": access, **one["about"]}
            try:
                client.ask(add_switch(NewSwitch(name=one["name"], interval_s=_DEMO_INTERVAL_S, **where)))
            except ServiceError as known:
                if known.status != 409:
                    raise
                client.ask(change_switch(one["name"], SwitchChange(**where)))
        for rule in network["rules"]:
            client.ask(set_rule(NewRule(**rule)))
        for entry in network["rolls"]:
            client.ask(enrol(NewEntry(**entry, by="demo")))
