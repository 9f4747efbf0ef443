"""What the collectors of a site are to read, from the inventory."""

import json
import logging
from datetime import datetime

from kiteroll.app.logs import fields
from kiteroll.bus.messages import AssignedSwitch, Targets, encode
from kiteroll.core.errors import ConfigError
from kiteroll.store import inventory, sites
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.vault import Vault

log = logging.getLogger(__name__)


class CollectorTargets:
    def __init__(self, database: Database, vault: Vault) -> None:
        self._database = database
        self._vault = vault

    def of_site(self, site: str, version: str, at: datetime) -> bytes:
        """In clear: credentials are among it. Raises StorageUnavailable."""
        rows = self._database.run(inventory.all_switches)
        limit = self._database.run(sites.site_limits).get(site)
        assigned = (self._assigned(row) for row in rows if row.site == site and row.is_read)
        switches = [one for one in assigned if one is not None]
        return encode(Targets(targets=version, made_at=at, site=site, at_once=limit, switches=switches))

    def _assigned(self, row: SwitchRow) -> AssignedSwitch | None:
        """None where its credential cannot be opened: that is logged, and the others are read."""
        credential = {}
        if row.source == "snmp":
            try:
                credential = json.loads(self._vault.open(row.credential_sealed or b""))
            except ConfigError as wrong:
                extra = fields("vault.failed", switch=row.name, error=str(wrong))
                log.error("switch cannot be read", extra=extra)
                return None
        return AssignedSwitch.model_validate(
            {
                "switch": row.id,
                "name": row.name,
                "source": row.source,
                "host": row.host,
                "port": row.udp_port,
                "credential": credential,
                "interval_s": row.interval_s,
                "timeout_s": row.timeout_s,
                "tries": row.tries,
            }
        )
