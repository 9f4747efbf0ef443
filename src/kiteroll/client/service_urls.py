"""Where a service is, and how long it is tried."""

import httpx

PAUSES_S = (0.2, 1.0)
"""Pauses before each further try of a safe call."""
PAUSES_OF_SEVERAL_S = (0.1, 0.3, 1.0, 1.0, 2.0, 2.0, 2.0, 2.0, 2.0)
"""The same where several services are known: for as long as one that stands by takes to take over."""


class ServiceUrls:
    """Where a service is, or several of which one answers: after each failure the next one is asked."""

    def __init__(self, given: str) -> None:
        """`given`: URLs with commas between."""
        self._all = [one.strip().rstrip("/") for one in given.split(",") if one.strip()] or [""]
        self._at = 0

    @property
    def current(self) -> str:
        return self._all[self._at]

    @property
    def api(self) -> str:
        return f"{self.current}/api/v1"

    @property
    def tls(self) -> bool:
        return not all(one.startswith("http://") for one in self._all)

    @property
    def pauses_s(self) -> tuple[float, ...]:
        return PAUSES_S if len(self._all) == 1 else PAUSES_OF_SEVERAL_S

    def turn(self, http: httpx.Client | httpx.AsyncClient) -> None:
        """Have it ask the next one."""
        self._at = (self._at + 1) % len(self._all)
        http.base_url = self.api
