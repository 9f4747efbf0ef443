"""Why a request is refused before it is worked on."""

from kiteroll.core.errors import KiteRollError


class Refusal(KiteRollError):
    code = "refused"


class NotSignedIn(Refusal):
    code = "not_signed_in"


class TooManyTries(Refusal):
    code = "too_many_tries"

    def __init__(self, wait_s: float) -> None:
        super().__init__(wait_s)
        self.wait_s = wait_s

    def __str__(self) -> str:
        return f"too many wrong tries from this address: wait {self.wait_s:.0f} s, then try once more"


class BodyTooLarge(Refusal):
    code = "too_large"


class BodyTooSlow(Refusal):
    code = "too_slow"


class ForeignRequest(Refusal):
    """Sent to another host, or by the page of another site."""

    code = "foreign"
