"""A folder: one file a delivery, whole or not there."""

import json
import os
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from kiteroll.deliver.delivery import Delivery, NotDelivered


@dataclass(frozen=True, slots=True, kw_only=True)
class Folder:
    path: str

    def send(self, delivery: Delivery) -> None:
        """A delivery that is repeated takes the place of the first. Raises NotDelivered."""
        folder = Path(self.path)
        name = f"alert-{delivery.messages[0].number:010}.json"
        unready = folder / f".{name}.{delivery.id}"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            with unready.open("w", encoding="utf-8") as file:
                json.dump(delivery.document(), file, ensure_ascii=False, indent=2)
                file.write("\n")
                file.flush()
                os.fsync(file.fileno())
            unready.replace(folder / name)
        except OSError as wrong:
            with suppress(OSError):
                unready.unlink()
            raise NotDelivered(f"{folder}: {wrong.strerror}") from wrong
