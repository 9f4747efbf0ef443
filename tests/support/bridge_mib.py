"""BRIDGE-MIB of a Linux bridge, for net-snmp's `pass_persist`: snmpd has none of its own.

Run as `python bridge_mib.py BRIDGE` by snmpd, in the network namespace of the bridge. RFC 4188.
"""

import json
import subprocess
import sys
import time
from pathlib import Path

BASE = (1, 3, 6, 1, 2, 1, 17)
_STATES = {"disabled": 1, "blocking": 2, "listening": 3, "learning": 4, "forwarding": 5}
_LEARNED = 3
_FRESH_S = 0.5

Objects = dict[tuple[int, ...], tuple[str, str]]
"""Object identifier to its type and value, as `pass_persist` wants them."""


def objects(bridge: str) -> Objects:
    own = _json("ip", "-d", "-j", "link", "show", bridge)[0]
    ports = {one["ifname"]: one for one in _json("ip", "-d", "-j", "link", "show", "master", bridge)}
    numbers = {name: int(Path(f"/sys/class/net/{name}/brport/port_no").read_text(), 16) for name in ports}
    ageing_s = own["linkinfo"]["info_data"]["ageing_time"] // 100
    found: Objects = {
        (1, 1, 0): ("octet", own["address"].replace(":", " ")),
        (1, 2, 0): ("integer", str(len(ports))),
        (1, 3, 0): ("integer", "2"),
        (4, 2, 0): ("integer", str(ageing_s)),
    }
    for name, number in numbers.items():
        state = ports[name]["linkinfo"]["info_slave_data"]["state"]
        found[1, 4, 1, 1, number] = ("integer", str(number))
        found[1, 4, 1, 2, number] = ("integer", str(ports[name]["ifindex"]))
        found[2, 15, 1, 3, number] = ("integer", str(_STATES[state]))
    for row in _json("bridge", "-j", "fdb", "show", "br", bridge):
        if (
            row.get("state") != "permanent"
            and "self" not in row.get("flags", ())
            and row["ifname"] in numbers
        ):
            address = tuple(int(octet, 16) for octet in row["mac"].split(":"))
            found[4, 3, 1, 1, *address] = ("octet", row["mac"].replace(":", " "))
            found[4, 3, 1, 2, *address] = ("integer", str(numbers[row["ifname"]]))
            found[4, 3, 1, 3, *address] = ("integer", str(_LEARNED))
    return {(*BASE, *name): value for name, value in found.items()}


def _json(*command: str) -> list[dict]:  # type: ignore[type-arg]
    reported: list[dict] = json.loads(subprocess.run(command, check=True, capture_output=True).stdout or "[]")  # type: ignore[type-arg]
    return reported


def main(bridge: str) -> None:
    known: Objects = {}
    order: list[tuple[int, ...]] = []
    read_at = 0.0
    for line in sys.stdin:
        asked = line.strip()
        if asked == "PING":
            print("PONG", flush=True)
            continue
        if asked not in ("get", "getnext"):
            continue
        wanted = tuple(int(arc) for arc in sys.stdin.readline().strip().strip(".").split("."))
        if time.monotonic() - read_at > _FRESH_S:
            known = objects(bridge)
            order, read_at = sorted(known), time.monotonic()
        if asked == "getnext":
            wanted = next((one for one in order if one > wanted), ())
        if wanted not in known:
            print("NONE", flush=True)
            continue
        print("." + ".".join(map(str, wanted)), *known[wanted], sep="\n", flush=True)


if __name__ == "__main__":
    main(sys.argv[1])
