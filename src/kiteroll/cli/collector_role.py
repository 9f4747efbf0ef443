"""`kiteroll collector run`, `key` and `nats-config`: what is for the machines of collectors.

The service is imported only when one of them runs.
"""

import os
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command
from kiteroll.core.errors import Invalid

if TYPE_CHECKING:
    from kiteroll.app.config import Config
    from kiteroll.bus.server_config import Member


def add_verbs(verbs: Any) -> None:
    one = add_command(
        verbs,
        "run",
        run_collector,
        "read the switches of a site from here, until told to stop",
        detail="It works without the centre for days: readings wait in the site's message engine (NATS).\n"
        "A second one at the same site stands by. docs/collectors.md has the whole set-up.",
    )
    _add_own(one)
    one.add_argument(
        "--log-level", choices=("DEBUG", "INFO", "WARNING", "ERROR"), help="lowest level of log lines shown"
    )
    one = add_command(
        verbs,
        "key",
        run_key,
        "print the public key of the collector of this machine, made where there is none",
    )
    _add_own(one)
    one = add_command(
        verbs,
        "nats-config",
        run_nats_config,
        "print the configuration of a NATS server: of the centre, or of a site",
        detail="Passwords are variables of the NATS server's environment: KITEROLL_CENTRE and, of sites,\n"
        "KITEROLL_SITE_ and the name in capitals; at a site KITEROLL_COLLECTOR, and KITEROLL_SITE_URL,\n"
        "which says where the centre is and as whom to sign in.\n"
        "  kiteroll collector nats-config --site Island --site Quays > centre.conf\n"
        "  kiteroll collector nats-config --site Island --host nats1 --other nats2 --other nats3 > 1.conf\n"
        "  kiteroll collector nats-config --at Island > island.conf",
    )
    one.add_argument(
        "--site",
        action="append",
        default=[],
        metavar="SITE",
        help="for the centre: a site that connects to it",
    )
    one.add_argument("--at", metavar="SITE", help="for this site")
    one.add_argument(
        "--host", metavar="HOST", help="for the centre, with --other: the server of this machine is called so"
    )
    one.add_argument(
        "--other",
        action="append",
        default=[],
        metavar="HOST",
        help="another machine of the centre: two others keep a copy of everything (bus.replicas = 3)",
    )
    one.add_argument(
        "--listen",
        default="",
        metavar="HOST:PORT",
        help="where services, trackers and collectors reach it (default 127.0.0.1:4222; 0.0.0.0:4222 with "
        "--other)",
    )
    one.add_argument("--store", default="/var/lib/nats", metavar="DIR", help="(default /var/lib/nats)")
    one.add_argument(
        "--tls", default="", metavar="DIR", help="directory of server.pem, server.key and ca.pem"
    )
    one.set_defaults(format="table")


def _add_own(parser: Any) -> None:
    parser.add_argument("--config", metavar="FILE", help="configuration, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--data", metavar="DIR", help="data directory (KITEROLL_DATA)")
    parser.add_argument("--name", help="of this collector (collector.name)")
    parser.add_argument("--site", help="that it reads (collector.site)")
    parser.set_defaults(format="table")


def run_collector(context: Context) -> Exit:
    from kiteroll.app.logs import set_up_logs
    from kiteroll.collector.runtime import run

    config = _config(context)
    set_up_logs(context.args.log_level or config.logs.level, config.logs.levels)
    run(
        config,
        lambda store: print(
            f"collector {store.collector} of {store.site}: key {store.key.public}", flush=True
        ),
    )
    return Exit.OK


def run_key(context: Context) -> Exit:
    from kiteroll.collector.kept_targets import TargetStore

    config = _config(context)
    store = TargetStore.open(config.data_dir, config.collector.name, config.collector.site)
    print(store.key.public)
    return Exit.OK


def _config(context: Context) -> "Config":
    """Raises ConfigError."""
    from kiteroll.app.config import load_config

    args = context.args
    named = args.config or os.environ.get("KITEROLL_CONFIG")
    own = {"data_dir": args.data, "collector.name": args.name, "collector.site": args.site}
    return load_config(Path(named) if named else None, os.environ, own)


def run_nats_config(context: Context) -> Exit:
    from kiteroll.bus import server_config

    args = context.args
    if bool(args.at) == bool(args.site):
        raise Invalid("say --site for each site that connects to the centre, or --at SITE for one of them")
    if args.at:
        text = server_config.site(args.at, listen=args.listen, store=args.store, tls=args.tls)
        url = server_config.site_url(args.at, "HOST:7422", "PASSWORD", tls=bool(args.tls))
        context.out.note(f"{server_config.SITE_URL} is to be {url}")
    else:
        member = _member(context)
        text = server_config.centre(
            args.site, listen=args.listen, store=args.store, tls=args.tls, member=member
        )
    print(text, end="")
    return Exit.OK


def _member(context: Context) -> "Member | None":
    """Which server of the centre it is for. Raises Invalid."""
    from kiteroll.bus import server_config

    args = context.args
    if not args.other and not args.host:
        return None
    if not args.host or len(args.other) % 2:
        raise Invalid(
            "say --host of this machine and --other of each other one: three or five servers, for more than "
            "half of them must be there"
        )
    for number, host in enumerate(args.other, start=1):
        url = server_config.other_url(f"{host}:6222", "PASSWORD")
        context.out.note(f"{server_config.other_variable(number)} is to be {url}")
    context.out.note(f"{server_config.CLUSTER_PASSWORD} is to be that PASSWORD")
    return server_config.Member(args.host, len(args.other))
