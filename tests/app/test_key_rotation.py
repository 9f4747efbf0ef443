"""A new key for what is sealed, also when it is cut off."""

from pathlib import Path

import pytest

from kiteroll.app.key_rotation import KeyRotation
from kiteroll.core.errors import ConfigError
from kiteroll.store import credentials
from kiteroll.store.database import Database
from kiteroll.store.vault import Vault
from tests.support.factories import NOON


def _sealed(database: Database) -> bytes:
    return database.run(credentials.get_credential, "tarn").sealed


def test_every_secret_opens_with_the_new_key_alone(database: Database, tmp_path: Path) -> None:
    file = tmp_path / "secrets.key"
    vault = Vault(file)
    database.run(credentials.add_credential, NOON, "tarn", "2c", vault.seal("over the tarn"))
    before = file.read_text()
    assert KeyRotation(database, vault).rotate(pause_s=0) == 1
    assert len(file.read_text().split()) == 1 and file.stat().st_mode & 0o777 == 0o600
    assert vault.open(_sealed(database)) == Vault(file).open(_sealed(database)) == "over the tarn"
    file.write_text(before)
    with pytest.raises(ConfigError, match="another key"):
        Vault(file).open(_sealed(database))


def test_cut_off_it_keeps_both_keys_and_the_next_one_finishes(database: Database, tmp_path: Path) -> None:
    file = tmp_path / "secrets.key"
    vault = Vault(file)
    database.run(credentials.add_credential, NOON, "tarn", "2c", vault.seal("over the tarn"))
    vault.begin_rotation()
    again = Vault(file)
    assert again.open(_sealed(database)) == "over the tarn"
    assert KeyRotation(database, again).rotate(pause_s=0) == 1
    assert Vault(file).open(_sealed(database)) == "over the tarn"
