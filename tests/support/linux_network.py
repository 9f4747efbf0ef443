"""A network of this machine's own bridges, in namespaces: spanning tree, net-snmp, lldpd, hosts that talk."""

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from tests.support.harness import wait_until

COMMUNITY, WRITE_COMMUNITY = "tarn-read", "tarn-write"
_AGENT = Path(__file__).with_name("bridge_mib.py")
_TALK = """
import socket, sys, time
sock = socket.socket(socket.AF_PACKET, socket.SOCK_RAW)
sock.bind(("eth0", 0))
while True:
    try:
        sock.send(b"\\xff" * 6 + bytes.fromhex(sys.argv[1]) + b"\\x88\\xb5" + b"kite roll".ljust(46))
    except OSError:
        pass  # its link is down
    time.sleep(1)
"""
"""Broadcasts of the local experimental EtherType (IEEE 802)."""
AGEING_S = 30


class NotPossible(Exception):
    """This machine does not allow such a network; says why."""


class LinuxNetwork:
    """Switches s1, s2, ... in a ring, each a namespace with a bridge; hosts at ports a1, a2, ... of them."""

    def __init__(self, switches: int) -> None:
        self._directory = Path(tempfile.mkdtemp(prefix="kr"))
        self._directory.chmod(0o755)  # lldpd gives up its rights, and must find its socket all the same
        self._tag = f"kr{os.getpid()}"
        self.switches = [f"s{number + 1}" for number in range(switches)]
        self.addresses = {name: f"198.18.{number}.2" for number, name in enumerate(self.switches, start=1)}
        """For management, on links of their own (RFC 2544 keeps this block for tests)."""
        self.cables: list[tuple[tuple[str, str], tuple[str, str]]] = []
        self.hosts: dict[str, tuple[str, str]] = {}
        """Address of each host, and the switch and port it is at."""
        self._processes: list[subprocess.Popen[bytes]] = []
        self._spaces: list[str] = []

    def start(self) -> None:
        missing = [one for one in ("ip", "bridge", "snmpd", "lldpd", "lldpcli") if not _program(one)]
        if missing or os.geteuid() != 0:
            raise NotPossible(f"it takes root and {', '.join(missing) or 'more rights'}")
        try:
            for number, name in enumerate(self.switches, start=1):
                self._switch(number, name)
            for number, name in enumerate(self.switches):
                far = self.switches[(number + 1) % len(self.switches)]
                self._cable((name, f"u{far}"), (far, f"d{name}"))
        except subprocess.CalledProcessError as denied:
            raise NotPossible(f"{denied.cmd}: {denied.stderr.decode().strip()}") from denied
        for name in self.switches:
            self._agents(name)

    def stop(self) -> None:
        for process in self._processes:
            process.kill()
            process.wait()
        for number in range(1, len(self.switches) + 1):
            subprocess.run(["ip", "link", "del", self._link(number)], capture_output=True, check=False)
        for space in self._spaces:
            subprocess.run(["ip", "netns", "del", space], capture_output=True, check=False)
        shutil.rmtree(self._directory, ignore_errors=True)

    def plug(self, mac: str, switch: str, port: str) -> None:
        """A host that talks once a second; one that is plugged in already is carried there."""
        space = self._space(mac.replace(":", "")[-4:])
        if mac in self.hosts:
            before, old = self.hosts[mac]
            self._ip("-n", self._space(before), "link", "del", old)
        else:
            self._add_space(space)
        self._ip(
            "-n", self._space(switch), "link", "add", port, "type", "veth", "peer", "eth0", "netns", space
        )
        self._ip("-n", self._space(switch), "link", "set", port, "master", "br0", "up")
        self._ip("-n", space, "link", "set", "eth0", "up")
        self._run(space, sys.executable, "-c", _TALK, mac.replace(":", ""))
        self.hosts[mac] = (switch, port)

    def set_link(self, end: tuple[str, str], state: str) -> None:
        self._ip("-n", self._space(end[0]), "link", "set", end[1], state)

    def link_is_up(self, end: tuple[str, str]) -> bool:
        """As whoever manages the switch wants it."""
        reported = self._ip("-n", self._space(end[0]), "link", "show", end[1])
        return "UP" in reported.split("<", 1)[1].split(">", 1)[0].split(",")

    def cable_ends(self) -> dict[tuple[str, str], str]:
        """By switch and port, the switch at the far end."""
        each = (ends for cable in self.cables for ends in (cable, cable[::-1]))
        return {here: far for here, (far, _) in each}

    def shut_ports(self) -> set[tuple[str, str]]:
        """Ports between switches that spanning tree keeps shut."""
        ends = {end for cable in self.cables for end in cable}
        return {end for end in ends if self._state(end) == "blocking"}

    def _state(self, end: tuple[str, str]) -> str:
        reported = self._ip("-n", self._space(end[0]), "-d", "link", "show", end[1])
        words = reported.split()
        return words[words.index("state", words.index("bridge_slave")) + 1]

    def _switch(self, number: int, name: str) -> None:
        space, link = self._space(name), self._link(number)
        self._add_space(space)
        timers = ("forward_delay", "200", "hello_time", "100", "max_age", "600")
        bridge = ("type", "bridge", "stp_state", "1", "ageing_time", str(100 * AGEING_S), *timers)
        self._ip("-n", space, "link", "add", "br0", *bridge)
        self._ip("-n", space, "link", "set", "br0", "up")
        self._ip("-n", space, "link", "set", "lo", "up")
        self._ip("link", "add", link, "type", "veth", "peer", "name", "mgmt0", "netns", space)
        self._ip("addr", "add", f"198.18.{number}.1/30", "dev", link)
        self._ip("link", "set", link, "up")
        self._ip("-n", space, "addr", "add", f"{self.addresses[name]}/30", "dev", "mgmt0")
        self._ip("-n", space, "link", "set", "mgmt0", "up")

    def _cable(self, one: tuple[str, str], other: tuple[str, str]) -> None:
        far = ("peer", "name", other[1], "netns", self._space(other[0]))
        self._ip("-n", self._space(one[0]), "link", "add", one[1], "type", "veth", *far)
        for switch, port in (one, other):
            self._ip("-n", self._space(switch), "link", "set", port, "master", "br0", "up")
        self.cables.append((one, other))

    def _agents(self, name: str) -> None:
        agentx = self._directory / f"{name}.agentx"
        config = self._directory / f"{name}.conf"
        config.write_text(
            f"rocommunity {COMMUNITY}\nrwcommunity {WRITE_COMMUNITY}\nsysName {name}\n"
            f"master agentx\nagentXSocket {agentx}\n"
            f"pass_persist .1.3.6.1.2.1.17 {sys.executable} {_AGENT} br0\n"
        )
        pid, listen = str(self._directory / f"{name}.pid"), f"udp:{self.addresses[name]}:161"
        self._run(
            self._space(name), _program("snmpd"), "-f", "-Lo", "-C", "-c", str(config), "-p", pid, listen
        )
        wait_until(agentx.exists, "snmpd")
        Path("/run/lldpd").mkdir(exist_ok=True)
        # Read before it begins: a port whose interval is changed under way may never speak again.
        settings = self._directory / f"{name}.lldpd"
        settings.write_text(
            "configure lldp tx-interval 2\n"
            "configure lldp tx-hold 15\n"  # a busy machine may keep it waiting for long
            f"configure system hostname {name}\n"
        )
        sockets = ("-X", str(agentx), "-u", str(self._directory / f"{name}.lldp"))
        # The address of a port is its chassis id: by their common host name all would be one device to lldpd.
        ports = ("-I", "us*,ds*", "-C", "us*")
        self._run(self._space(name), _program("lldpd"), "-d", "-x", "-O", str(settings), *sockets, *ports)

    def _add_space(self, space: str) -> None:
        self._ip("netns", "add", space)
        self._spaces.append(space)

    def _run(self, space: str, *command: str) -> None:
        words = ["ip", "netns", "exec", space, *command]
        with (self._directory / "processes.log").open("ab") as log:
            self._processes.append(subprocess.Popen(words, stdout=log, stderr=log))

    def _space(self, name: str) -> str:
        return f"{self._tag}{name}"

    def _link(self, number: int) -> str:
        return f"{self._tag}m{number}"

    @staticmethod
    def _ip(*words: str) -> str:
        return subprocess.run(["ip", *words], check=True, capture_output=True).stdout.decode()


def _program(name: str) -> str:
    return shutil.which(name) or shutil.which(name, path="/usr/sbin:/sbin:/usr/bin:/bin") or ""
