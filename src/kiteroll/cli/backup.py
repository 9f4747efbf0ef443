"""`kiteroll backup ...`: on the machine of the service, with the rights of its data directory."""

import getpass
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group
from kiteroll.cli.up import config_file, make_config
from kiteroll.clock import SystemClock
from kiteroll.core.errors import Invalid

if TYPE_CHECKING:
    from kiteroll.app.backup.archive import Manifest

_DETAIL = (
    "The keys that open sealed secrets are in the backup under a passphrase: it is asked for, or the first\n"
    "line of --passphrase-file or of standard input. Without it the secrets are lost, and nothing else."
)


def add_commands(commands: Any) -> None:
    verbs = add_group(commands, "backup", "make, verify or restore a backup", of="VERB")
    one = add_command(
        verbs, "make", run_make, "back up the database and the keys, while the service runs", detail=_DETAIL
    )
    _add_shared(one)
    one = add_command(
        verbs,
        "verify",
        run_verify,
        "check that a backup is whole, by restoring it into a database that is thrown away",
        detail=_DETAIL,
    )
    one.add_argument("--quick", action="store_true", help="only check digests and keys; restore nothing")
    _add_shared(one)
    one = add_command(
        verbs,
        "restore",
        run_restore,
        "restore a backup into a data directory, without a service",
        detail=_DETAIL,
    )
    one.add_argument("--replace", action="store_true", help="what is in the database goes")
    _add_shared(one)


def _add_shared(parser: Any) -> None:
    parser.add_argument("file", metavar="FILE")
    parser.add_argument("--passphrase-file", metavar="FILE", help="its first line; it is asked for otherwise")
    parser.add_argument("--config", metavar="FILE", help="configuration, TOML (KITEROLL_CONFIG)")
    parser.add_argument("--data", metavar="DIR", help="data directory (KITEROLL_DATA)")
    parser.set_defaults(format="table", listen_host=None, listen_port=None)


def run_make(context: Context) -> Exit:
    from kiteroll.app.backup import backups

    file = Path(context.args.file)
    manifest = backups.make(_config(context), file, _passphrase(context, twice=True), SystemClock())
    context.out.note(f"{file}: {file.stat().st_size / 1e6:.1f} MB, of tables at revision {manifest.revision}")
    return Exit.OK


def run_verify(context: Context) -> Exit:
    from kiteroll.app.backup import backups

    args = context.args
    found = backups.verify(Path(args.file), _passphrase(context), trial=not args.quick)
    context.out.note(f"whole: {_about(found.manifest)}; the passphrase opens its keys")
    if found.rows:
        context.out.note(
            f"restored on trial: {sum(found.rows.values())} rows in {len(found.rows)} tables; the audit log "
            f"has {found.audit_entries} entries, as they were written"
        )
    return Exit.OK


def run_restore(context: Context) -> Exit:
    from kiteroll.app.backup import backups

    args = context.args
    config = _config(context)
    manifest = backups.restore(
        config, Path(args.file), _passphrase(context), SystemClock(), replace=args.replace
    )
    context.out.note(
        f"restored into {config.data_dir}: {_about(manifest)}; start the service with `kiteroll up`"
    )
    return Exit.OK


def _about(manifest: "Manifest") -> str:
    return f"made at {manifest.made_at[:19]} UTC on {manifest.host} by Kite Roll {manifest.version}"


def _config(context: Context) -> Any:
    return make_config(context.args, config_file(context.args))


def _passphrase(context: Context, *, twice: bool = False) -> str:
    """Raises Invalid."""
    file = context.args.passphrase_file
    if file is not None:
        try:
            return Path(file).read_text().partition("\n")[0]
        except OSError as wrong:
            raise Invalid(f"--passphrase-file: {file}: {wrong.strerror}") from wrong
    if not sys.stdin.isatty():
        if given := sys.stdin.readline().rstrip("\n"):
            return given
        raise Invalid("no passphrase is on standard input; --passphrase-file names a file that has it")
    given = getpass.getpass("passphrase: ")
    if twice and getpass.getpass("passphrase, again: ") != given:
        raise Invalid("the two passphrases differ")
    return given
