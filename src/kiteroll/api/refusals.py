"""Why a request is refused before it is worked on."""

from kiteroll.core.errors import KiteRollError


class Refusal(KiteRollError):
    code = "refused"


class BodyTooLarge(Refusal):
    code = "too_large"


class BodyTooSlow(Refusal):
    code = "too_slow"


class ForeignRequest(Refusal):
    """Sent to another host, or by the page of another site."""

    code = "foreign"
