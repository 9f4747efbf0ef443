"""`kiteroll alert-target ...`: where alerts are delivered to."""

import argparse
import sys
from pathlib import Path
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.host_port import split_address
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import alert_targets, remove_alert_target, set_alert_target, test_alert_target
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api

_TEMPLATE = (
    "Without a template the whole is sent as JSON. In a template, $subject, $text, $count, $severity,\n"
    "$reason, $kind, $title, $switch, $port, $mac and $link stand for what there is to say."
)


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "alert-target", "set where alerts are delivered to, and try it", of="VERB")
    add_command(verbs, "list", run_list, "list targets, and how it goes", parents=parents)

    one = add_command(verbs, "webhook", run_webhook, "a POST to a URL", parents=parents, detail=_TEMPLATE)
    one.add_argument("name")
    one.add_argument("address", metavar="URL")
    _add_secret(one, "it is signed with: HMAC-SHA256 of time stamp, dot and body in Kiteroll-Signature")
    one.add_argument("--template", metavar="FILE", help="text that is sent instead of the JSON")
    one.add_argument("--content-type", metavar="TYPE", help="of the template (default application/json)")
    _add_shared(one)

    one = add_command(verbs, "mail", run_mail, "mail by SMTP", parents=parents)
    one.add_argument("name")
    one.add_argument("server", metavar="HOST[:PORT]", help="port 587 unless given")
    one.add_argument("--from", dest="sender", required=True, metavar="ADDRESS")
    one.add_argument("--to", dest="recipients", action="append", required=True, metavar="ADDRESS")
    one.add_argument("--security", choices=("starttls", "tls", "none"), help="default starttls")
    one.add_argument("--user", metavar="NAME", help="to sign in to the server as")
    _add_secret(one, "that user's password")
    _add_shared(one)

    one = add_command(verbs, "syslog", run_syslog, "syslog as RFC 5424 has it", parents=parents)
    one.add_argument("name")
    one.add_argument("server", metavar="HOST[:PORT]", help="port 6514 by TLS, else 514, unless given")
    one.add_argument("--transport", choices=("udp", "tcp", "tls"), help="default tls")
    one.add_argument("--facility", type=int, metavar="N", help="default 16, local0")
    _add_shared(one)

    one = add_command(verbs, "folder", run_folder, "JSON files in a folder of the service", parents=parents)
    one.add_argument("name")
    one.add_argument("path", metavar="DIR")
    _add_shared(one, ca_file=False)

    add_command(verbs, "test", run_test, "send a test there now", parents=parents).add_argument("name")
    one = add_command(verbs, "remove", run_remove, "remove a target, and what waits for it", parents=parents)
    one.add_argument("name")


def run_list(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(alert_targets())
    context.out.rows(found, columns.alert_targets(context.out), empty="no targets: alerts have nowhere to go")
    return Exit.OK


def run_webhook(context: Context) -> Exit:
    args = context.args
    template = Path(args.template).read_text() if args.template else None
    given = {
        "url": args.address,
        "template": template,
        "content_type": args.content_type,
        "ca_file": args.ca_file,
    }
    return _set(context, checked(api.WebhookSettings, kind="webhook", **given))


def run_mail(context: Context) -> Exit:
    args = context.args
    host, port = split_address(args.server, 587)
    given = {"host": host, "port": port, "security": args.security, "sender": args.sender}
    given |= {"recipients": args.recipients, "user": args.user, "ca_file": args.ca_file}
    return _set(context, checked(api.MailSettings, kind="mail", **given))


def run_syslog(context: Context) -> Exit:
    args = context.args
    host, port = split_address(args.server, 6514 if args.transport in (None, "tls") else 514)
    given = {"host": host, "port": port, "transport": args.transport, "facility": args.facility}
    return _set(context, checked(api.SyslogSettings, kind="syslog", **given, ca_file=args.ca_file))


def run_folder(context: Context) -> Exit:
    path = str(Path(context.args.path).absolute())
    return _set(context, checked(api.FolderSettings, kind="folder", path=path))


def run_test(context: Context) -> Exit:
    with context.client() as client:
        result = client.send(test_alert_target(context.args.name))
    if context.out.format == "json":
        context.out.json(result)
    elif result.delivered:
        context.out.note(f"delivered in {result.duration_s:.2f} s")
    else:
        context.out.note(f"not delivered: {result.error}", "red")
    return Exit.OK if result.delivered else Exit.UNREACHABLE


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_alert_target(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.OK


def _set(context: Context, settings: api.TargetSettings) -> Exit:
    args = context.args
    secret = None
    if getattr(args, "secret_stdin", False):
        secret = sys.stdin.readline().rstrip("\n")
        if not secret:
            raise Invalid("--secret-stdin: there is no line on stdin")
    given = api.AlertTargetSettings(
        settings=settings, secret=secret, enabled=not args.off, audit_log=args.audit_log
    )
    with context.client() as client:
        made = client.send(set_alert_target(args.name, given))
    done = f"{made.name} is set; `kiteroll alert-target test {made.name}` tries it"
    context.out.done(made, columns.alert_targets(context.out), done)
    return Exit.OK


def _add_secret(parser: argparse.ArgumentParser, secret: str) -> None:
    parser.add_argument(
        "--secret-stdin", action="store_true", help=f"read from stdin what {secret}; else what is set stays"
    )


def _add_shared(parser: argparse.ArgumentParser, *, ca_file: bool = True) -> None:
    if ca_file:
        parser.add_argument(
            "--ca-file", metavar="FILE", help="authorities to trust (PEM, where the service runs)"
        )
    parser.add_argument(
        "--audit-log", action="store_true", help="send every entry of the audit log there too"
    )
    parser.add_argument("--off", action="store_true", help="keep it, but send nothing there")
