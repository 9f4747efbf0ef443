"""net-snmp's own agent on loopback: software that nobody here wrote."""

import asyncio
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from kiteroll.clock import SystemClock
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.snmp_reader import read_switch
from tests.support.ports import free_udp_port

COMMUNITY = "tarn-read"


@contextmanager
def running_snmpd(folder: Path, config: str) -> Iterator[int]:
    """The port it answers on. `config` comes beside the community that reads."""
    program = shutil.which("snmpd") or "/usr/sbin/snmpd"
    port = free_udp_port()
    file = folder / "snmpd.conf"
    file.write_text(f"rocommunity {COMMUNITY} 127.0.0.1\n{config}")
    process = subprocess.Popen(
        [program, "-f", "-C", "-c", str(file), "-Lo", "-I", "-smux", f"udp:127.0.0.1:{port}"],
        env={"SNMP_PERSISTENT_DIR": str(folder), "PATH": "/usr/sbin:/usr/bin"},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        probe = Target(host="127.0.0.1", port=port, community=COMMUNITY)
        asyncio.run(read_switch("yard", probe, SystemClock(), Limits(timeout_s=0.2, tries=30)))
        yield port
    finally:
        process.terminate()
        process.wait(10)
