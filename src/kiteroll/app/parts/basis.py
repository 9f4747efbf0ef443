"""What every group of parts is built on."""

from contextlib import ExitStack
from dataclasses import dataclass

from kiteroll.app.config import Config
from kiteroll.app.events import EventBus
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.app.serving.following import Following
from kiteroll.app.storage import Storage
from kiteroll.app.supervisor import Supervisor
from kiteroll.app.traces import Traces
from kiteroll.clock import Clock


@dataclass(frozen=True, slots=True, kw_only=True)
class Basis:
    """For builders alone: each hands on single things of it."""

    config: Config
    storage: Storage
    settings: RuntimeSettings
    bus: EventBus
    supervisor: Supervisor
    traces: Traces
    clock: Clock
    stack: ExitStack
    """Closes, at the end, what is opened."""
    following: Following | None
    """How this service stands to the one that tracks; None where it tracks itself."""

    @property
    def only_answers(self) -> bool:
        """Another service has the database; this one follows its records, and writes nothing but when a token
        was used last."""
        return self.following is not None
