"""The entry: words in, exit code out."""

import argparse
import sys
from collections.abc import Sequence

from kiteroll import __version__
from kiteroll.cli import (
    asking,
    completion,
    credentials,
    demo,
    endpoints,
    files,
    findings,
    inventory,
    looking,
    makers,
    probe,
    rounds,
    rules,
    up,
)
from kiteroll.cli.context import make_context
from kiteroll.cli.exits import MEANING, Exit, exit_of
from kiteroll.core.errors import ConfigError, KiteRollError


def build_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="kiteroll",
        description="Where every endpoint hangs: by switch, port and VLAN, and since when.",
        epilog=MEANING,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"kiteroll {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", required=True)
    for module in (
        asking,
        endpoints,
        looking,
        findings,
        rules,
        inventory,
        rounds,
        files,
        makers,
        credentials,
        probe,
        up,
        demo,
        completion,
    ):
        module.add_commands(commands)
    return parser


def main(words: Sequence[str] | None = None) -> Exit:
    parser = build_parser()
    completion.complete(parser)
    args = parser.parse_args(words)
    try:
        result: Exit = args.run(make_context(args))
        return result
    except ConfigError as wrong:
        print(f"kiteroll: {wrong.source}:", *wrong.problems, sep="\n  ", file=sys.stderr)
        return Exit.USAGE
    except KiteRollError as error:
        print(f"kiteroll: {error}", file=sys.stderr)
        return exit_of(error)
    except KeyboardInterrupt:
        return Exit.FINE
    except BrokenPipeError:
        # The reader of our output left (`| head`); Python would complain again while closing stdout.
        sys.stderr.close()
        return Exit.FINE


def run() -> None:
    sys.exit(main())
