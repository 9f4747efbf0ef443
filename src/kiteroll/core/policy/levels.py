"""Where a rule is set: for everything, a group, a switch, a range of its ports, or one port."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import IntEnum

from kiteroll.core.errors import Invalid
from kiteroll.core.model.port_ref import PortRef

_RUN = re.compile(r"(?P<stem>.*?)(?P<first>\d{1,9})-(?:(?P=stem))?(?P<last>\d{1,9})")
_NUMBERED = re.compile(r"(?P<stem>.*?)(?P<number>\d{1,9})")
_MAX_PARTS = 64


class Reach(IntEnum):
    """How near a level is to a port: the higher wins."""

    EVERYTHING = 0
    GROUP = 1
    SWITCH = 2
    RANGE = 3
    PORT = 4


@dataclass(frozen=True, slots=True)
class PortRange:
    """Ports whose names are the same but for the number at their end, or one port by its name."""

    stem: str
    first: int | None = None
    """None: the stem is a whole name."""
    last: int = 0

    def holds(self, port: str) -> bool:
        if self.first is None:
            return port == self.stem
        numbered = _NUMBERED.fullmatch(port)
        return (
            numbered is not None
            and numbered["stem"] == self.stem
            and self.first <= int(numbered["number"]) <= self.last
        )

    def __str__(self) -> str:
        return self.stem if self.first is None else f"{self.stem}{self.first}-{self.stem}{self.last}"


def parse_ports(text: str) -> tuple[PortRange, ...]:
    """`p1-p20, p24` as ranges. Raises Invalid."""
    parts = [part.strip() for part in text.split(",")]
    if not all(parts):
        raise Invalid(f"ports {text!r}: names a port or a range between commas (p1-p20,p24)")
    if len(parts) > _MAX_PARTS:
        raise Invalid(f"ports: {len(parts)} parts, at most {_MAX_PARTS} are possible")
    found = []
    for part in parts:
        run = _RUN.fullmatch(part)
        if run is None:
            found.append(PortRange(part))
            continue
        first, last = int(run["first"]), int(run["last"])
        if last < first:
            raise Invalid(f"ports {part!r}: the range ends before it begins")
        found.append(PortRange(run["stem"], first, last))
    return tuple(found)


def ports_text(ranges: Iterable[PortRange]) -> str:
    """What `parse_ports` reads, in the one way it is kept."""
    return ",".join(map(str, ranges))


@dataclass(frozen=True, slots=True)
class Level:
    """All empty: everything. `port` and `ports` are of `switch`, and at most one of them is given."""

    group: str = ""
    switch: str = ""
    port: str = ""
    ports: str = ""
    """A range of ports, as `ports_text` gives it."""

    @property
    def reach(self) -> Reach:
        if self.port:
            return Reach.PORT
        if self.ports:
            return Reach.RANGE
        if self.switch:
            return Reach.SWITCH
        return Reach.GROUP if self.group else Reach.EVERYTHING

    @property
    def order(self) -> tuple[int, str, str, str, str]:
        """In which levels are listed: wide ones first."""
        return (self.reach, self.group, self.switch, self.ports, self.port)

    def holds(self, port: PortRef, groups: Sequence[str]) -> bool:
        """Whether a port is of this level. `groups`: of its switch."""
        match self.reach:
            case Reach.EVERYTHING:
                return True
            case Reach.GROUP:
                return self.group in groups
            case Reach.SWITCH:
                return port[0] == self.switch
            case Reach.RANGE:
                return port[0] == self.switch and any(one.holds(port[1]) for one in parse_ports(self.ports))
            case Reach.PORT:
                return port == (self.switch, self.port)

    def concerns(self, switch: str, groups: Sequence[str]) -> bool:
        """Whether ports of a switch are of this level. `groups`: of the switch."""
        if self.switch:
            return self.switch == switch
        return not self.group or self.group in groups

    def __str__(self) -> str:
        match self.reach:
            case Reach.EVERYTHING:
                return "everything"
            case Reach.GROUP:
                return f"group {self.group}"
            case Reach.SWITCH:
                return f"switch {self.switch}"
            case Reach.RANGE:
                return f"{self.switch} ports {self.ports}"
            case Reach.PORT:
                return f"{self.switch} port {self.port}"


EVERYTHING = Level()
