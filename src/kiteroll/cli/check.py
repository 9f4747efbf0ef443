"""`kiteroll check`: what would keep the service from starting, without starting it."""

from typing import Any

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import Column
from kiteroll.cli.parsing import add_command, add_format
from kiteroll.cli.up import config_file, make_config
from kiteroll.clock import SystemClock


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "check",
        run_check,
        "look at settings, data, ports, certificate, database and clock without starting",
        detail="Run it on the machine of the service, as its user, before a start or after a change.\n"
        "It changes nothing. Exits with 6 where the service would not start.",
    )
    parser.add_argument("--config", metavar="FILE", help="configuration, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--data", metavar="DIR", help="data directory (KITEROLL_DATA)")
    parser.add_argument("--listen-host", metavar="HOST", help="as for `kiteroll up`")
    parser.add_argument("--listen-port", type=int, metavar="PORT", help="as for `kiteroll up`")
    add_format(parser)


def run_check(context: Context) -> Exit:
    from kiteroll.api.listening import check_who_hears, listening
    from kiteroll.app.preflight import Check, Verdict, preflight

    args = context.args
    named = config_file(args)
    config = make_config(args, named)

    def listen() -> str:
        check_who_hears(config.listen)
        with listening(config.listen) as sockets:
            return ", ".join(f"{one.getsockname()[0]} port {one.getsockname()[1]}" for one in sockets)

    found = [Check("settings", Verdict.OK, str(named or "none but the defaults, environment and options"))]
    found += preflight(config, SystemClock(), listen)
    styles = {Verdict.WRONG: "bold red", Verdict.WARNING: "yellow"}
    columns: list[Column[Check]] = [
        Column("verdict", lambda one: one.verdict.value, style=lambda one: styles.get(one.verdict, "")),
        Column("what", lambda one: one.what),
        Column("found", lambda one: one.found),
    ]
    context.out.rows(found, columns, empty="")
    return Exit.FAULT if any(one.verdict is Verdict.WRONG for one in found) else Exit.OK
