"""A Linux host's own bridges as switches: read through the JSON that iproute2 prints.

One bridge is one switch. The programs `ip` and `bridge` ask the kernel over rtnetlink and need no
rights for it; what their JSON means is worked out in `bridge_tables`.
"""

import asyncio
import json
import re
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from kiteroll.clock import Clock
from kiteroll.collect.bridge_tables import BridgeTables, assemble_bridge
from kiteroll.collect.limits import Limits
from kiteroll.core.errors import DeviceError, DeviceLied, DeviceRefused, DeviceSilent, Invalid
from kiteroll.core.model.reading import Reading

_NAME = re.compile(r"[^\s/@:-][^\s/@:]{0,14}")
"""Interface names of Linux: up to 15 octets, without blanks and slashes. One that begins with a dash would
be an option of the programs."""
_MAX_OCTETS = 64 * 1024 * 1024
_SINCE_BOOT = "/proc/uptime"


@dataclass(frozen=True, slots=True, kw_only=True)
class Bridge:
    """A bridge of this machine. `namespace`: the network namespace it is in; empty: ours."""

    name: str
    namespace: str = ""

    @property
    def address(self) -> str:
        return f"{self.name}@{self.namespace}" if self.namespace else self.name

    @classmethod
    def parse(cls, text: str) -> "Bridge":
        """BRIDGE or BRIDGE@NAMESPACE. Raises Invalid."""
        name, _, namespace = text.strip().partition("@")
        if not _NAME.fullmatch(name) or (namespace and not re.fullmatch(r"\w[\w.-]{0,63}", namespace)):
            raise Invalid(f"{text!r} names no bridge: write its interface name, or NAME@NAMESPACE")
        return cls(name=name, namespace=namespace)


async def read_bridge(switch: str, bridge: Bridge, clock: Clock, limits: Limits) -> Reading:
    """One reading of one bridge; takes at most `limits.total_s` seconds.

    Raises DeviceSilent when there is no such bridge or no iproute2, DeviceRefused when the namespace
    may not be entered, DeviceLied when what comes back is no JSON.
    """
    taken_at, started = clock.now(), clock.monotonic()
    try:
        async with asyncio.timeout(limits.total_s):
            tables = await _read(bridge)
    except TimeoutError as slow:
        raise DeviceSilent(
            bridge.address, f"`ip` and `bridge` took longer than {limits.total_s:g} s"
        ) from slow
    duration = timedelta(seconds=clock.monotonic() - started)
    return assemble_bridge(switch, bridge.name, taken_at, duration, tables)


async def _read(bridge: Bridge) -> BridgeTables:
    own = await _run(bridge, "ip", "-d", "link", "show", "dev", bridge.name)
    ports = await _run(bridge, "ip", "-d", "link", "show", "master", bridge.name)
    fdb = await _run(bridge, "bridge", "fdb", "show", "br", bridge.name)
    vlans = await _run(bridge, "bridge", "vlan", "show")
    cache = await _run(bridge, "ip", "neigh", "show")
    return BridgeTables(own=own, ports=ports, fdb=fdb, vlans=vlans, cache=cache, uptime_s=_since_boot())


async def _run(bridge: Bridge, program: str, *words: str) -> list[dict[str, Any]]:
    found = shutil.which(program, path="/usr/sbin:/sbin:/usr/bin:/bin")
    if found is None:
        raise DeviceSilent(
            bridge.address, f"the program `{program}` is not here: install the package iproute2"
        )
    space = ("-n", bridge.namespace) if bridge.namespace else ()
    process = await asyncio.create_subprocess_exec(
        found,
        *space,
        "-j",
        *words,
        stdin=asyncio.subprocess.DEVNULL,
        stdout=asyncio.subprocess.PIPE,
        stderr=asyncio.subprocess.PIPE,
    )
    try:
        out, err = await process.communicate()
    finally:
        if process.returncode is None:
            process.kill()
    if process.returncode:
        raise _trouble(bridge, " ".join((program, *words)), err.decode(errors="replace").strip(" .\n"))
    if len(out) > _MAX_OCTETS:
        raise DeviceLied(bridge.address, f"`{program}` printed more than {_MAX_OCTETS >> 20} MiB")
    return _rows(bridge, program, out)


def _rows(bridge: Bridge, program: str, out: bytes) -> list[dict[str, Any]]:
    """An empty answer is an empty list; some versions print empty objects for other interfaces."""
    try:
        rows = json.loads(out or b"[]")
    except ValueError as wrong:
        raise DeviceLied(bridge.address, f"`{program} -j` printed no JSON: {wrong}") from wrong
    if not isinstance(rows, Sequence) or isinstance(rows, str):
        raise DeviceLied(bridge.address, f"`{program} -j` printed no list")
    return [row for row in rows if isinstance(row, dict) and row]


def _trouble(bridge: Bridge, command: str, output: str) -> DeviceError:
    if "not permitted" in output or "denied" in output:
        return DeviceRefused(bridge.address, f"`{command}`: {output}. Reading another namespace takes root")
    if "does not exist" in output or "Cannot find" in output or "No such" in output:
        hint = "`ip link show type bridge` lists those that are here"
        return DeviceSilent(bridge.address, f"`{command}`: {output}. {hint}")
    return DeviceLied(bridge.address, f"`{command}`: {output or 'it failed and gave no reason'}")


def _since_boot() -> float | None:
    try:
        with open(_SINCE_BOOT, encoding="ascii") as file:  # noqa: PTH123  # one line of /proc, no path to join
            return float(file.read().split()[0])
    except (OSError, ValueError, IndexError):
        return None
