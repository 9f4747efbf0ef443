"""Configuration of NATS servers: one at the centre, one at each site that connects to it.

What a site's server may publish and hear at the centre is its own alone: a site that somebody took over
says nothing for another one, and hears nothing of it.
"""

from collections.abc import Mapping, Sequence

from kiteroll.bus import names

CENTRE_USER, COLLECTOR_USER = "centre", "collector"
_DOMAIN = "centre"


def centre(
    sites: Sequence[str],
    passwords: Mapping[str, str],
    *,
    listen: str = "127.0.0.1:4222",
    leaf_listen: str = "0.0.0.0:7422",
    store: str = "/var/lib/nats",
    tls: str = "",
) -> str:
    """`passwords`: of the centre and of sites by name; `$NAME` stands for a variable of the server's
    environment. `tls`: a directory with server.pem, server.key and ca.pem."""
    users = [f"    {{ user: {CENTRE_USER}, password: {passwords[CENTRE_USER]} }}"]
    users += [_leaf_user(site, passwords[site]) for site in sites]
    return "\n".join(
        [
            "# The NATS server of the centre.",
            "server_name: kiteroll-centre",
            f'listen: "{listen}"',
            "max_payload: 8MB",
            f'jetstream {{ store_dir: "{store}", domain: {_DOMAIN} }}',
            # Sites dial the address they were given, and no other.
            f'leafnodes {{ listen: "{leaf_listen}", no_advertise: true{_tls(tls)} }}',
            *([_tls(tls).strip(", ")] if tls else []),
            "authorization {",
            "  users = [",
            *users,
            "  ]",
            "}",
            "",
        ]
    )


def site(
    name: str,
    centre_host: str,
    passwords: Mapping[str, str],
    *,
    listen: str = "127.0.0.1:4222",
    store: str = "/var/lib/nats",
    tls: str = "",
) -> str:
    """`centre_host`: HOST:PORT of the centre's server for sites; `passwords`: of the site, by its name, and
    of its collectors. `tls`: a directory with ca.pem."""
    token = names.site_token(name)
    secured = f', tls {{ ca_file: "{tls}/ca.pem" }}' if tls else ""
    scheme = "tls" if tls else "nats-leaf"
    return "\n".join(
        [
            f"# The NATS server of {name}: it keeps readings while the line is down.",
            f"server_name: kiteroll-{token}",
            f'listen: "{listen}"',
            "max_payload: 8MB",
            f'jetstream {{ store_dir: "{store}", domain: {token} }}',
            "leafnodes {",
            f'  remotes = [ {{ url: "{scheme}://{token}:{passwords[name]}@{centre_host}"{secured} }} ]',
            "}",
            "authorization {",
            f"  users = [ {{ user: {COLLECTOR_USER}, password: {passwords[COLLECTOR_USER]} }} ]",
            "}",
            "",
        ]
    )


def _leaf_user(site: str, password: str) -> str:
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
            f"    {{ user: {token}, password: {password}, permissions: {{",
            f"        publish: [ {_quoted(publish)} ]",
            f"        subscribe: [ {_quoted(hear)} ]",
            "    } }",
        ]
    )


def _quoted(subjects: Sequence[str]) -> str:
    return ", ".join(f'"{one}"' for one in subjects)


def _tls(directory: str) -> str:
    if not directory:
        return ""
    files = f'cert_file: "{directory}/server.pem", key_file: "{directory}/server.key"'
    return f", tls {{ {files} }}"
