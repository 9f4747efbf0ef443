"""Options for how a switch is polled: by community, or by SNMPv3 user."""

import argparse
from typing import Any

from kiteroll.core.errors import Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.ranges import parse_ranges

AUTHS = ("sha1", "sha224", "sha256", "sha384", "sha512")


def add_options(parser: argparse.ArgumentParser, *, community: str | None = None) -> None:
    """`community`: the default, shown in the help."""
    by_community = parser.add_argument_group("by community (SNMP v1, v2c)")
    told = f" (default {community})" if community else ""
    by_community.add_argument("--community", default=community, metavar="NAME", help=f"SNMP community{told}")
    by_community.add_argument(
        "--snmp", choices=("1", "2c", "3"), help="SNMP version (default 2c; 3 with --user)"
    )
    by_user = parser.add_argument_group("by user (SNMP v3)")
    by_user.add_argument("--user", metavar="NAME", help="user name; SNMPv3 is used")
    by_user.add_argument(
        "--auth", choices=AUTHS, help="authentication protocol (default sha256 with --auth-password)"
    )
    by_user.add_argument("--auth-password", metavar="TEXT", help="at least 8 characters")
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
        "community": args.community if not args.user else None,
        "version": "3" if args.user else args.snmp,
        "user": args.user,
        "auth": args.auth or ("sha256" if args.auth_password else None),
        "auth_password": args.auth_password,
        "privacy_password": args.privacy_password,
        "context": args.context,
        "view": args.view,
        "view_vlans": vlan_list(args.view_vlans) if args.view_vlans else None,
    }
    if args.snmp == "3" and not args.user:
        raise Invalid("SNMP version 3 needs a user: give --user NAME")
    if args.view and "{vlan}" not in args.view:
        raise Invalid(f"--view {args.view!r} holds no {{vlan}}: write where the VLAN's number goes")
    return {name: value for name, value in values.items() if value is not None}


def vlan_list(text: str) -> list[int]:
    """10,20-29 as numbers, ascending. Raises Invalid."""
    found = parse_ranges(text, bounds.VLAN)
    if not found:
        raise Invalid(f"{text!r} names no VLAN: write 10 or 20-29, separated by commas")
    return found
