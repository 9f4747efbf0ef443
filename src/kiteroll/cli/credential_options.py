"""Options for how a switch is polled: by community, or by SNMPv3 user.

What is secret need not stand on the command line, where other users of the machine can see it.
"""

import argparse
import getpass
import os
import sys
from pathlib import Path
from typing import Any

from kiteroll.core.errors import Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.ranges import parse_ranges

SECRET_HELP = "- asks for it (or reads a line), file:PATH and env:NAME take it from there"
AUTHS = ("sha1", "sha224", "sha256", "sha384", "sha512")


def add_options(parser: argparse.ArgumentParser, *, community: str | None = None) -> None:
    """`community`: the default, shown in the help."""
    by_community = parser.add_argument_group("by community (SNMP v1, v2c)")
    default = f" (default {community})" if community else ""
    by_community.add_argument(
        "--community", default=community, metavar="NAME", help=f"SNMP community{default}; {SECRET_HELP}"
    )
    by_community.add_argument(
        "--snmp", choices=("1", "2c", "3"), help="SNMP version (default 2c; 3 with --user)"
    )
    parser.set_defaults(usual_community=community)
    by_user = parser.add_argument_group("by user (SNMP v3)")
    by_user.add_argument("--user", metavar="NAME", help="user name; SNMPv3 is used")
    by_user.add_argument(
        "--auth", choices=AUTHS, help="authentication protocol (default sha256 with --auth-password)"
    )
    by_user.add_argument("--auth-password", metavar="TEXT", help="at least 8 characters; see --community")
    by_user.add_argument("--privacy-password", metavar="TEXT", help="at least 8 characters; AES-128")
    by_user.add_argument("--context", default=None, metavar="NAME", help="context name")
    views = parser.add_argument_group("a table offered one VLAN at a time")
    views.add_argument(
        "--view", metavar="TEMPLATE", help="community or context of a VLAN's view; {vlan} stands for it"
    )
    views.add_argument(
        "--view-vlans", metavar="LIST", help="VLANs to read, such as 10,20-29 (default: those it reports)"
    )


def given(args: argparse.Namespace) -> dict[str, Any]:
    """What was typed, by the names of `schemas.api.Credential`; absent options are left out."""
    values = {
        "community": secret(args.community, "--community") if not args.user else None,
        "version": "3" if args.user else args.snmp,
        "user": args.user,
        "auth": args.auth or ("sha256" if args.auth_password else None),
        "auth_password": secret(args.auth_password, "--auth-password"),
        "privacy_password": secret(args.privacy_password, "--privacy-password"),
        "context": args.context,
        "view": args.view,
        "view_vlans": vlan_list(args.view_vlans) if args.view_vlans else None,
    }
    if args.user and args.community != args.usual_community:
        raise Invalid("--community and --user: a switch is asked by one of them")
    if args.snmp == "3" and not args.user:
        raise Invalid("SNMP version 3 needs a user: give --user NAME")
    if args.view and "{vlan}" not in args.view:
        raise Invalid(f"--view {args.view!r} holds no {{vlan}}: write where the VLAN's number goes")
    return {name: value for name, value in values.items() if value is not None}


def check_given(args: argparse.Namespace) -> None:
    """Raises Invalid unless there is one way to ask the switch."""
    ways = (args.credential, args.community, args.user)
    if sum(one is not None for one in ways) != 1:
        raise Invalid("give --credential NAME, --community NAME or --user NAME, one of them")


def secret(given: str | None, option: str) -> str | None:
    """Itself; or - for a prompt or a line of standard input, file:PATH, env:NAME. Raises Invalid."""
    if given == "-":
        if sys.stdin.isatty():
            return getpass.getpass(f"{option}: ")
        return _one_line(sys.stdin.readline(), f"{option} -: standard input is empty")
    if given is not None and given.startswith("file:"):
        file = Path(given.removeprefix("file:"))
        try:
            text = file.read_text()
        except OSError as wrong:
            raise Invalid(f"{option}: {file} cannot be read: {wrong.strerror}") from wrong
        return _one_line(text, f"{option}: {file} is empty")
    if given is not None and given.startswith("env:"):
        name = given.removeprefix("env:")
        return _one_line(os.environ.get(name, ""), f"{option}: the variable {name} is not set")
    return given


def _one_line(text: str, otherwise: str) -> str:
    first = text.splitlines()[0] if text else ""
    if not first:
        raise Invalid(otherwise)
    return first


def vlan_list(text: str) -> list[int]:
    """10,20-29 as numbers, ascending. Raises Invalid."""
    found = parse_ranges(text, bounds.VLAN)
    if not found:
        raise Invalid(f"{text!r} names no VLAN: write 10 or 20-29, separated by commas")
    return found
