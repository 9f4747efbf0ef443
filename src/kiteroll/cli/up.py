"""`kiteroll up`: running the service in the foreground.

The service is imported only when it runs: that takes a second, and every other command
shall answer sooner.
"""

import os
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command
from kiteroll.data_dir import FIRST_PASSWORD_FILE, TOKEN_FILE

if TYPE_CHECKING:
    from kiteroll.app.config import Config


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "up",
        run_up,
        "run the service until it is told to stop",
        detail="Without database.url it starts a private MariaDB server on loopback, its data under\n"
        "the data directory. docs/operating.md lists the configuration.",
    )
    parser.add_argument("--config", metavar="FILE", help="configuration, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--data", metavar="DIR", help="data directory (KITEROLL_DATA)")
    _add_self_signed(parser)
    add_listen(parser)
    parser = add_command(
        commands,
        "serve",
        run_serve,
        "answer for the service that has the database, until told to stop",
        detail="One of any number, behind a load balancer: it answers from the records that `kiteroll up`\n"
        "on another machine writes, and passes changes on to that one. It needs database.url, and the\n"
        "secrets.key of that one; docs/nodes.md has the whole set-up.",
    )
    parser.add_argument("--config", metavar="FILE", help="configuration, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--data", metavar="DIR", help="data directory of its own (KITEROLL_DATA)")
    _add_self_signed(parser)
    add_listen(parser)
    parser = add_command(
        commands,
        "tracker",
        run_tracker,
        "track the switches of an area for the service, until told to stop",
        detail="It takes the readings that collectors send from the sites of the area, and keeps their\n"
        "records; the service finds and answers. It needs database.url and bus.url of the service. A second\n"
        "one of the same area stands by. docs/trackers.md has the whole set-up.",
    )
    parser.add_argument("--config", metavar="FILE", help="configuration, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--area", help="whose switches it tracks (tracker.area)")
    _add_log_level(parser)


def _add_self_signed(parser: Any) -> None:
    parser.add_argument(
        "--self-signed",
        action="store_true",
        default=None,
        help="speak TLS with a certificate that is made in the data directory",
    )


def add_listen(parser: Any) -> None:
    parser.add_argument(
        "--listen-host",
        metavar="HOST",
        help="addresses to listen on, with commas between (KITEROLL_LISTEN_HOST; default 127.0.0.1)",
    )
    parser.add_argument(
        "--listen-port", type=int, metavar="PORT", help="port (KITEROLL_LISTEN_PORT; default 8480)"
    )
    _add_log_level(parser)


def _add_log_level(parser: Any) -> None:
    parser.add_argument(
        "--log-level", choices=("DEBUG", "INFO", "WARNING", "ERROR"), help="lowest level of log lines shown"
    )
    parser.set_defaults(format="table")


def run_up(context: Context) -> Exit:
    from kiteroll.api.server import run
    from kiteroll.app.logs import set_up_logs

    args = context.args
    config = make_config(args, config_file(args), {"listen.self_signed": args.self_signed})
    set_up_logs(args.log_level or config.logs.level, config.logs.levels)
    return exit_for(run(config, lambda: print_welcome(config)))


def run_serve(context: Context) -> Exit:
    from kiteroll.api.server import run
    from kiteroll.app.logs import set_up_logs

    args = context.args
    config = make_config(args, config_file(args), {"listen.self_signed": args.self_signed})
    set_up_logs(args.log_level or config.logs.level, config.logs.levels)

    def print_url() -> None:
        print(f"\nKite Roll answers at {url_for_people(config)}; Ctrl-C stops it.\n", flush=True)

    return exit_for(run(config, print_url, only_answers=True))


def run_tracker(context: Context) -> Exit:
    from kiteroll.app.config import load_config
    from kiteroll.app.logs import set_up_logs
    from kiteroll.tracker.runtime import run

    args = context.args
    config = load_config(config_file(args), os.environ, {"tracker.area": args.area})
    set_up_logs(args.log_level or config.logs.level, config.logs.levels)
    run(config, lambda: print(f"tracks {config.tracker.area}; Ctrl-C stops it.", flush=True))
    return Exit.OK


def config_file(args: Any) -> Path | None:
    """As named by an option or the environment; None: there is none."""
    named = args.config or os.environ.get("KITEROLL_CONFIG")
    return Path(named) if named else None


def make_config(args: Any, file: Path | None, more: Mapping[str, Any] | None = None) -> "Config":
    """Configuration from the file, the environment and the options of a command. Raises ConfigError."""

    from kiteroll.app.config import load_config

    flags = {"data_dir": args.data, "listen.host": args.listen_host, "listen.port": args.listen_port}
    return load_config(file, os.environ, {**flags, **(more or {})})


def exit_for(code: int) -> Exit:
    return Exit.OK if code == 0 else Exit.FAULT


def print_welcome(config: "Config") -> None:
    first = config.data_dir / FIRST_PASSWORD_FILE
    as_whom = f"  console: open it in a browser and sign in as admin; its first password is in {first}\n"
    print(
        f"\nKite Roll is ready at {url_for_people(config)}\n"
        f"{as_whom if first.exists() else ''}"
        f"  CLI:     export KITEROLL_DATA={config.data_dir} KITEROLL_URL={url_for_people(config)}\n"
        f"           kiteroll switch list\n"
        f"  The token of this machine is in {config.data_dir / TOKEN_FILE}; Ctrl-C stops the service.\n",
        flush=True,
    )


def url_for_people(config: "Config") -> str:
    """By a name that its certificate is for, where it was given one."""
    listen = config.listen
    if listen.certificate is None or not listen.names:
        return url_of(config)
    return f"https://{listen.names[0]}:{listen.port}"


def url_of(config: "Config") -> str:
    """Where the service answers on this machine."""
    return config.listen.url({"0.0.0.0": "127.0.0.1", "::": "::1"})
