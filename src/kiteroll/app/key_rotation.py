"""A new key for what is sealed in the database, while the service runs."""

import logging
import threading
import time

from kiteroll.app.logs import fields
from kiteroll.core.errors import StorageUnavailable
from kiteroll.store.database import Database
from kiteroll.store.sealed import seal_all_again
from kiteroll.store.vault import Vault

log = logging.getLogger(__name__)


class KeyRotation:
    def __init__(self, database: Database, vault: Vault) -> None:
        self._database = database
        self._vault = vault
        self._lock = threading.Lock()

    def rotate(self, pause_s: float = 2.0) -> int:
        """Returns how many secrets were sealed again. Cut off, old and new key are both kept, and the next
        rotation finishes it. Raises ConfigError when one was sealed with a key that is lost, or
        StorageUnavailable."""
        with self._lock:
            try:
                self._vault.begin_rotation()
                self._database.run(seal_all_again, self._vault.seal_again)
                # Somebody may have sealed with the old key just before, and stored it just after.
                time.sleep(pause_s)
                count = self._database.run(seal_all_again, self._vault.seal_again)
                self._vault.end_rotation()
            except OSError as wrong:
                raise StorageUnavailable(
                    f"the key file cannot be written: {wrong.strerror}; the key before goes on"
                ) from wrong
        log.info("secrets sealed with a new key", extra=fields("key.rotated", secrets=count))
        return count
