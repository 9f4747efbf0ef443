"""Configuration of NATS servers: one or three at the centre, one at each site that connects to it.

What a site's server may publish and hear at the centre is its own alone: a site that somebody took over
says nothing for another one, and hears nothing of it. Passwords are variables of the servers' environment.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from kiteroll.bus import names

CENTRE_USER, COLLECTOR_USER = "centre", "collector"
CENTRE_PASSWORD, COLLECTOR_PASSWORD, SITE_URL = "KITEROLL_CENTRE", "KITEROLL_COLLECTOR", "KITEROLL_SITE_URL"
CLUSTER_USER, CLUSTER_PASSWORD = "cluster", "KITEROLL_CLUSTER"
_DOMAIN = "centre"
_THIS_MACHINE, _ALL_MACHINES = "127.0.0.1:4222", "0.0.0.0:4222"


@dataclass(frozen=True, slots=True)
class Member:
    """One of several servers at the centre, which keep copies of the same readings."""

    name: str
    """What it is called among them; each has another name."""
    others: int
    """How many others there are; where they are says a variable for each."""
    listen: str = "0.0.0.0:6222"
    """Where it hears the others."""


def other_variable(number: int) -> str:
    """The variable that has the URL of another server of the centre, numbered from 1."""
    return f"KITEROLL_OTHER_{number}"


def other_url(host: str, password: str) -> str:
    """What `other_variable` is. `host`: HOST:PORT at which the other server hears the others."""
    return f"nats-route://{CLUSTER_USER}:{password}@{host}"


def site_password(site: str) -> str:
    """The variable that has the password of a site, at the centre."""
    word = "".join(one if one.isascii() and one.isalnum() else "_" for one in site)
    return f"KITEROLL_SITE_{word.upper()}"


def site_url(site: str, centre_host: str, password: str, *, tls: bool = False) -> str:
    """What SITE_URL is at a site. `centre_host`: HOST:PORT of the centre's server for sites."""
    return f"{'tls' if tls else 'nats-leaf'}://{names.site_token(site)}:{password}@{centre_host}"


def centre(
    sites: Sequence[str],
    *,
    listen: str = "",
    leaf_listen: str = "0.0.0.0:7422",
    store: str = "/var/lib/nats",
    tls: str = "",
    member: Member | None = None,
) -> str:
    """`tls`: a directory with server.pem and server.key, and with ca.pem where there are other servers at the
    centre; empty: none is spoken. `member`: which one of them it is; None: there are no others. `listen`:
    where services and trackers reach it; empty: on this machine, or on all where there are others."""
    listen = listen or (_THIS_MACHINE if member is None else _ALL_MACHINES)
    files = f'{{ cert_file: "{tls}/server.pem", key_file: "{tls}/server.key" }}'
    return "\n".join(
        [
            "# The NATS server of the centre." if member is None else "# A NATS server of the centre.",
            f"server_name: kiteroll-{'centre' if member is None else member.name}",
            f'listen: "{listen}"',
            "max_payload: 8MB",
            f'jetstream {{ store_dir: "{store}", domain: {_DOMAIN} }}',
            *([f"tls {files}"] if tls else []),
            *([] if member is None else _cluster(member, tls)),
            "leafnodes {",
            f'  listen: "{leaf_listen}"',
            "  no_advertise: true  # sites dial the address they were given, and no other",
            *([f"  tls {files}"] if tls else []),
            "}",
            "authorization {",
            "  users = [",
            f"    {{ user: {CENTRE_USER}, password: ${CENTRE_PASSWORD} }}",
            *map(_leaf_user, sites),
            "  ]",
            "}",
            "",
        ]
    )


def _cluster(member: Member, tls: str) -> list[str]:
    files = f'cert_file: "{tls}/server.pem", key_file: "{tls}/server.key", ca_file: "{tls}/ca.pem"'
    routes = ", ".join(f"${other_variable(number)}" for number in range(1, member.others + 1))
    return [
        "cluster {",
        "  name: kiteroll-centre",
        f'  listen: "{member.listen}"',
        f"  authorization {{ user: {CLUSTER_USER}, password: ${CLUSTER_PASSWORD} }}",
        *([f"  tls {{ {files} }}"] if tls else []),
        f"  routes = [ {routes} ]",
        "}",
    ]


def site(name: str, *, listen: str = "", store: str = "/var/lib/nats", tls: str = "") -> str:
    """`tls`: a directory with ca.pem, which the centre's certificate is of; empty: none is spoken. `listen`:
    where collectors reach it; empty: on this machine alone."""
    token = names.site_token(name)
    secured = f', tls {{ ca_file: "{tls}/ca.pem" }}' if tls else ""
    return "\n".join(
        [
            f"# The NATS server of {name}: it keeps readings while the line is down.",
            f"server_name: kiteroll-{token}",
            f'listen: "{listen or _THIS_MACHINE}"',
            "max_payload: 8MB",
            f'jetstream {{ store_dir: "{store}", domain: {token} }}',
            "leafnodes {",
            f"  remotes = [ {{ url: ${SITE_URL}{secured} }} ]",
            "}",
            "authorization {",
            f"  users = [ {{ user: {COLLECTOR_USER}, password: ${COLLECTOR_PASSWORD} }} ]",
            "}",
            "",
        ]
    )


def _leaf_user(site: str) -> str:
    token = names.site_token(site)
    publish = [
        names.status(token),
        names.targets(token),
        names.answers(token),
        f"{names.delivered(token)}.>",
        "$JSC.R.>",
    ]
    hear = [
        names.asked(token),
        names.changed(token),
        f"{names.inbox(token)}.>",
        f"$JS.{token}.API.>",
        "$JS.FC.>",
    ]
    return "\n".join(
        [
            f"    {{ user: {token}, password: ${site_password(site)}, permissions: {{",
            f"        publish: [ {_quoted(publish)} ]",
            f"        subscribe: [ {_quoted(hear)} ]",
            "    } }",
        ]
    )


def _quoted(subjects: Sequence[str]) -> str:
    return ", ".join(f'"{one}"' for one in subjects)
