"""Named credentials: what is secret in them is sealed, and never shown again."""

import asyncio
import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from kiteroll.app.switch_assignments import SwitchAssignments
from kiteroll.app.turns import Turns
from kiteroll.clock import Clock
from kiteroll.collect.credential import make_target
from kiteroll.collect.identify import Identity, identify
from kiteroll.collect.limits import Limits
from kiteroll.core.model.nearest import the_named
from kiteroll.store import credentials
from kiteroll.store.credentials import CredentialRow
from kiteroll.store.database import Database
from kiteroll.store.vault import Vault

__all__ = ["Access", "ChosenAccess", "CredentialRow", "NamedCredentials"]


@dataclass(frozen=True, slots=True)
class Access:
    """How a switch is polled: the settings `kiteroll.collect.credential.make_target` knows."""

    settings: Mapping[str, Any] = field(repr=False)
    kind: str
    """What may be shown of it."""


ChosenAccess = Access | str | None
"""A switch's own access, or the name of a credential, or neither."""


def sealed_access(vault: Vault, access: Access) -> bytes:
    return vault.seal(json.dumps(access.settings))


class NamedCredentials:
    def __init__(
        self,
        database: Database,
        vault: Vault,
        clock: Clock,
        turns: Turns,
        assignments: SwitchAssignments,
        limits: Limits,
    ) -> None:
        self._database = database
        self._vault = vault
        self._clock = clock
        self._turns = turns
        self._assignments = assignments
        self._limits = limits

    def all(self) -> list[CredentialRow]:
        """By name."""
        return self._database.run(credentials.all_credentials)

    def get(self, name: str) -> CredentialRow:
        """Raises NotFound."""
        return the_named(self.all(), name, "credential")

    def add(self, name: str, access: Access) -> CredentialRow:
        """Raises Conflict when the name is taken."""
        sealed = sealed_access(self._vault, access)
        return self._database.run(credentials.add_credential, self._clock.now(), name, access.kind, sealed)

    async def change(self, name: str, access: Access) -> CredentialRow:
        """Every switch that uses it is polled with the new one from now on. Raises NotFound."""
        sealed = sealed_access(self._vault, access)

        def work() -> CredentialRow:
            return self._database.run(credentials.change_credential, name, access.kind, sealed)

        row = await self._turns.run_next(work)
        await self._assignments.reassign_users_of(name)
        return row

    def remove(self, name: str) -> None:
        """Raises NotFound, or Conflict while switches use it."""
        self._database.run(credentials.remove_credential, name)

    async def test(self, host: str, port: int, chosen: ChosenAccess) -> Identity:
        """Raises NotFound for a credential that is not there; DeviceError when it does not work."""
        if isinstance(chosen, Access):
            settings = chosen.settings
        else:
            row = await asyncio.to_thread(self._database.run, credentials.get_credential, chosen or "")
            settings = json.loads(self._vault.open(row.sealed))
        return await identify(make_target(host, port, settings), self._clock, self._limits)
