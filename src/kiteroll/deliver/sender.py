"""From the kind and settings of a target to what sends there."""

from collections.abc import Mapping
from typing import Any, Protocol

from kiteroll.deliver.delivery import Delivery, NotDelivered
from kiteroll.deliver.folder import Folder
from kiteroll.deliver.mail import Mail
from kiteroll.deliver.syslog import Syslog
from kiteroll.deliver.webhook import Webhook


class Sender(Protocol):
    def send(self, delivery: Delivery) -> None:
        """Returns once it is delivered. Raises NotDelivered."""


def make_sender(kind: str, settings: Mapping[str, Any], secret: str) -> Sender:
    """`settings`: the fields of the kind's class. Raises NotDelivered when they do not fit it, such as
    those of a later version."""
    try:
        match kind:
            case "webhook":
                return Webhook(**settings, secret=secret)
            case "mail":
                return Mail(**{**settings, "recipients": tuple(settings["recipients"])}, secret=secret)
            case "syslog":
                return Syslog(**settings)
            case "folder":
                return Folder(**settings)
    except (TypeError, KeyError) as wrong:
        raise NotDelivered(
            f"the settings of this target are not understood: {wrong}; set it again"
        ) from wrong
    raise NotDelivered(f"there is no way to deliver by {kind!r}")
