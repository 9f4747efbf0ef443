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
from kiteroll.data_dir import TOKEN_FILE

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
    add_listen(parser)


def add_listen(parser: Any) -> None:
    parser.add_argument(
        "--listen-host", metavar="HOST", help="address to listen on (KITEROLL_LISTEN_HOST; default 127.0.0.1)"
    )
    parser.add_argument(
        "--listen-port", type=int, metavar="PORT", help="port (KITEROLL_LISTEN_PORT; default 8480)"
    )
    parser.add_argument(
        "--log-level", choices=("DEBUG", "INFO", "WARNING", "ERROR"), help="lowest level of log lines shown"
    )
    parser.set_defaults(format="table")


def run_up(context: Context) -> Exit:
    from kiteroll.api.server import run
    from kiteroll.app.logs import set_up_logs

    args = context.args
    file = args.config or os.environ.get("KITEROLL_CONFIG")
    config = make_config(args, Path(file) if file else None)
    set_up_logs(args.log_level or "INFO")
    return exit_for(run(config, lambda: print_welcome(config)))


def make_config(args: Any, file: Path | None, more: Mapping[str, Any] | None = None) -> "Config":
    """Configuration from the file, the environment and the options of a command. Raises ConfigError."""

    from kiteroll.app.config import load_config

    flags = {"data_dir": args.data, "listen.host": args.listen_host, "listen.port": args.listen_port}
    return load_config(file, os.environ, {**flags, **(more or {})})


def exit_for(code: int) -> Exit:
    return Exit.OK if code == 0 else Exit.FAULT


def print_welcome(config: "Config") -> None:
    token_file = config.data_dir / TOKEN_FILE
    print(
        f"\nKite Roll is ready at {url_of(config)}\n"
        f"  console: open it in a browser and sign in with the token {token_file.read_text().strip()}\n"
        f"  CLI:     export KITEROLL_DATA={config.data_dir} KITEROLL_URL={url_of(config)}\n"
        f"           kiteroll switch list\n"
        f"  the token is in {token_file}; Ctrl-C stops the service\n",
        flush=True,
    )


def url_of(config: "Config") -> str:
    host = f"[{config.listen.host}]" if ":" in config.listen.host else config.listen.host
    return f"http://{host}:{config.listen.port}"
