"""What a report of trouble needs, without secrets; on the machine of the service, whether it runs or not."""

import os
import platform
import re
import shutil
import subprocess
import sys
from collections.abc import Mapping
from importlib.metadata import distributions
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, text

from kiteroll import __version__
from kiteroll.app.access.audit_log import without_secrets
from kiteroll.app.config import Config
from kiteroll.core.errors import KiteRollError
from kiteroll.store.database import Database
from kiteroll.store.migrate import revision_of
from kiteroll.store.private_server import PrivateServer

_LINES = 3000
"""Of each log, the last ones."""
_PATIENCE_S = 20
_SECRET = re.compile(
    r"""(?ix)
    (["']?[a-z_]*(?:password|passphrase|community|secret|token|auth_key|priv_key)[a-z_]*["']?\s*[:=]\s*)
    ("[^"]*"|'[^']*'|\S+)"""
)
_URL_PASSWORD = re.compile(r"(\w+://[^\s:/@]+:)[^\s@/]+(@)")


def facts(config: Config) -> dict[str, Any]:
    """Of program, machine, settings and database."""
    return {
        "version": __version__,
        "python": sys.version,
        "machine": {
            "system": platform.platform(),
            "processors": os.cpu_count(),
            "memory_mb": os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 1_000_000,
            "load": os.getloadavg(),
        },
        "packages": dict(sorted((one.name, one.version) for one in distributions())),
        "settings": _settings(config),
        "environment": sorted(name for name in os.environ if name.startswith("KITEROLL_")),
        "data_directory": _data_directory(config.data_dir),
        "database": _database(config),
    }


def logs(config: Config) -> dict[str, str]:
    """By name: the journal of the unit, where there is one, and the log of the private database."""
    found: dict[str, str] = {}
    if journalctl := shutil.which("journalctl"):
        command = [journalctl, "--unit", "kiteroll", "--lines", str(_LINES), "--output", "cat", "--no-pager"]
        try:
            done = subprocess.run(command, capture_output=True, text=True, timeout=_PATIENCE_S, check=False)
            found["journal.jsonl"] = clean(done.stdout)
        except (OSError, subprocess.TimeoutExpired) as wrong:
            found["journal.jsonl"] = f"cannot be read: {wrong}\n"
    server_log = config.data_dir / "database" / "server.log"
    try:
        lines = server_log.read_text(errors="replace").splitlines()[-_LINES:]
        found["database.log"] = clean("\n".join(lines) + "\n")
    except OSError as wrong:
        found["database.log"] = f"cannot be read: {wrong.strerror}\n"
    return found


def clean(text: str) -> str:
    """A text without what follows the name of a secret."""
    return _URL_PASSWORD.sub(r"\1(secret)\2", _SECRET.sub(r"\1(secret)", text))


def _settings(config: Config) -> Any:
    plain = without_secrets(config.model_dump(mode="json"))
    if config.database.url:
        plain["database"]["url"] = clean(config.database.url)
    return plain


def _data_directory(directory: Path) -> Mapping[str, Any]:
    try:
        usage = shutil.disk_usage(directory)
        files = {one.name: one.stat().st_size for one in sorted(directory.iterdir()) if one.is_file()}
    except OSError as wrong:
        return {"error": f"{directory}: {wrong.strerror}"}
    return {"free": usage.free, "total": usage.total, "files": files}


def _database(config: Config) -> Mapping[str, Any]:
    """Read where it runs; nothing is started for it."""
    try:
        url: Any = config.database.url
        if not url:
            server = PrivateServer(config.data_dir / "database")
            if not server.running():
                return {"error": "the private database does not run"}
            url = server.start()
        database = Database(url, pool_size=1, answer_s=_PATIENCE_S)
        try:
            return database.run(_tables)
        finally:
            database.close()
    except (KiteRollError, OSError) as wrong:
        return {"error": clean(str(wrong))}


def _tables(connection: Connection) -> dict[str, Any]:
    query = text(
        "SELECT table_name, table_rows, data_length + index_length AS octets FROM information_schema.tables "
        "WHERE table_schema = DATABASE() ORDER BY table_name"
    )
    return {
        "server": connection.execute(text("SELECT VERSION()")).scalar_one(),
        "revision": revision_of(connection),
        "tables": {
            row.table_name: {"rows_about": row.table_rows, "octets": int(row.octets or 0)}
            for row in connection.execute(query)
        },
    }
