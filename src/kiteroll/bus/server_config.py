"""Configuration of NATS servers: one at the centre, one at each site that connects to it.

What a site's server may publish and hear at the centre is its own alone: a site that somebody took over
says nothing for another one, and hears nothing of it. Passwords are variables of the servers' environment.
"""

from collections.abc import Sequence

from kiteroll.bus import names

CENTRE_USER, COLLECTOR_USER = "centre", "collector"
CENTRE_PASSWORD, COLLECTOR_PASSWORD, SITE_URL = "KITEROLL_CENTRE", "KITEROLL_COLLECTOR", "KITEROLL_SITE_URL"
_DOMAIN = "centre"


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
    listen: str = "127.0.0.1:4222",
    leaf_listen: str = "0.0.0.0:7422",
    store: str = "/var/lib/nats",
    tls: str = "",
) -> str:
    """`tls`: a directory with server.pem and server.key; empty: none is spoken."""
    files = f'{{ cert_file: "{tls}/server.pem", key_file: "{tls}/server.key" }}'
    return "\n".join(
        [
            "# The NATS server of the centre.",
            "server_name: kiteroll-centre",
            f'listen: "{listen}"',
            "max_payload: 8MB",
            f'jetstream {{ store_dir: "{store}", domain: {_DOMAIN} }}',
            *([f"tls {files}"] if tls else []),
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


def site(name: str, *, listen: str = "127.0.0.1:4222", store: str = "/var/lib/nats", tls: str = "") -> str:
    """`tls`: a directory with ca.pem, which the centre's certificate is of; empty: none is spoken."""
    token = names.site_token(name)
    secured = f', tls {{ ca_file: "{tls}/ca.pem" }}' if tls else ""
    return "\n".join(
        [
            f"# The NATS server of {name}: it keeps readings while the line is down.",
            f"server_name: kiteroll-{token}",
            f'listen: "{listen}"',
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
