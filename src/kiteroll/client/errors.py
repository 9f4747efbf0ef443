"""What can go wrong between a client and the service.

KiteRollError
├── ServiceUnreachable   no service answers at that URL, or it broke off
└── ServiceError         it answered with a problem: `problem` holds all of it
"""

from typing import TYPE_CHECKING

from kiteroll.core.errors import KiteRollError

if TYPE_CHECKING:
    from kiteroll.schemas.api import Problem


class ServiceUnreachable(KiteRollError):
    code = "service_unreachable"

    def __init__(self, url: str, why: str) -> None:
        super().__init__(url, why)
        self.url = url
        self.why = why

    def __str__(self) -> str:
        return f"no Kite Roll service answers at {self.url}: {self.why}"


class ServiceError(KiteRollError):
    def __init__(self, problem: "Problem") -> None:
        super().__init__(problem)
        self.problem = problem
        self.code = problem.code

    @property
    def status(self) -> int:
        return self.problem.status

    def __str__(self) -> str:
        return self.problem.detail or self.problem.title
