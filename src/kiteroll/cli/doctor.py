"""`kiteroll doctor`: gathers what a report of trouble needs."""

import json
import os
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command
from kiteroll.cli.up import config_file, make_config
from kiteroll.core.errors import Invalid, KiteRollError


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "doctor",
        run_doctor,
        "gather what a report of trouble needs into a file, without secrets",
        detail="Run it on the machine of the service, as its user. It holds versions, settings, sizes,\n"
        "health, and the last lines of the logs. Secrets are left out; names of switches and addresses of\n"
        "endpoints are in the logs: look before you send it.",
    )
    parser.add_argument("file", metavar="FILE.zip")
    parser.add_argument("--config", metavar="FILE", help="configuration, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--data", metavar="DIR", help="data directory (KITEROLL_DATA)")
    parser.add_argument("--url", metavar="URL", help="URL of the service (KITEROLL_URL)")
    parser.set_defaults(format="table", listen_host=None, listen_port=None)


def run_doctor(context: Context) -> Exit:
    from kiteroll.app import doctor

    args = context.args
    config = make_config(args, config_file(args))
    if not args.data:
        args.data = str(config.data_dir)
    parts = {"report.json": json.dumps(doctor.facts(config), indent=2, default=str) + "\n"}
    parts["service.json"] = json.dumps(_of_service(context), indent=2, default=str) + "\n"
    parts |= doctor.logs(config)
    file = Path(args.file)
    try:
        descriptor = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "wb") as raw, zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, content in parts.items():
                archive.writestr(name, content)
    except OSError as wrong:
        raise Invalid(f"{file}: cannot be written: {wrong.strerror}") from wrong
    for name, content in parts.items():
        context.out.line(f"{len(content):>9} {name}")
    context.out.note(f"{file} is written; names and addresses are in the logs: look before you send it")
    return Exit.OK


def _of_service(context: Context) -> dict[str, Any]:
    """What a running service answers; where it does not answer, why."""
    from kiteroll.client import alert_targets, findings, health, readings, switches

    def of(work: Callable[[], Any]) -> Any:
        try:
            return work()
        except KiteRollError as wrong:
            return {"error": str(wrong)}

    try:
        with context.client() as client:
            return {
                "health": of(lambda: client.send(health()).model_dump(mode="json")),
                "switches_by_health": of(lambda: Counter(one.health for one in client.each(switches()))),
                "open_findings_by_kind": of(lambda: Counter(one.kind for one in client.each(findings()))),
                "failed_readings": of(
                    lambda: [one.model_dump(mode="json") for one in client.send(readings(limit=200)).items]
                ),
                "alert_targets": of(
                    lambda: [
                        {"kind": one.settings.kind, "failures": one.failures, "waiting": one.waiting}
                        for one in client.all(alert_targets())
                    ]
                ),
            }
    except KiteRollError as wrong:
        return {"error": str(wrong)}
