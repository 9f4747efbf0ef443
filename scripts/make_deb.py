"""Builds the Debian package: an environment of its own with everything that runs, unit, manual, completions.

`make deb` runs it; the package is in dist/. What it holds of others is what requirements.lock names, checked
by its digests. It is made for the Python and the processor of the machine that builds it.
"""

import gzip
import re
import shutil
import subprocess
import sys
import tempfile
from importlib.metadata import requires
from pathlib import Path

from packaging.requirements import Requirement

from kiteroll import __version__
from scripts.man_page import page

ROOT = Path(__file__).parents[1]
SOURCE, DIST = ROOT / "deb", ROOT / "dist"
HOME = Path("usr/lib/kiteroll")
UNITS = Path("usr/lib/systemd/system")
_EXTRAS = ("cluster",)
"""Of what is needed only by some, what the package brings along: there is no pip in it."""
ROLES = {
    "serve": (
        "answers for the service that has the database",
        "kiteroll serve --config /etc/kiteroll/kiteroll.toml",
    ),
    "tracker": ("tracks the switches of an area", "kiteroll tracker --config /etc/kiteroll/tracker.toml"),
    "collector": (
        "reads the switches of a site",
        "kiteroll collector run --config /etc/kiteroll/collector.toml",
    ),
}
"""What else a machine may do, in a unit each that is not started by itself."""
_DEPENDS = "python3 (>= 3.11), python3 (<< 3.12), mariadb-server-core, mariadb-client, libmariadb3, iproute2"
_CONTROL = """Package: kiteroll
Version: {version}
Architecture: {architecture}
Maintainer: Kite Roll <kiteroll@localhost>
Installed-Size: {size}
Depends: {depends}
Section: net
Priority: optional
Description: where every endpoint is connected: by switch, port and VLAN
 Kite Roll reads the MAC address tables of access switches over SNMP, keeps for
 every endpoint where it was learned and when, and flags moves, flapping,
 duplicates and unauthorised or overfull ports.
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        stage = Path(directory) / "stage"
        _environment(stage, Path(directory))
        _files(stage)
        print(_pack(stage))


def _environment(stage: Path, scratch: Path) -> None:
    """A virtual environment for Debian's Python; it holds no path of this machine."""
    home = stage / HOME
    libraries = home / "lib" / "python3.11" / "site-packages"
    libraries.mkdir(parents=True)
    (home / "bin").mkdir()
    (home / "bin" / "python3").symlink_to("/usr/bin/python3.11")
    (home / "pyvenv.cfg").write_text(
        "home = /usr/bin\ninclude-system-site-packages = false\nversion = 3.11\n"
    )
    locked = scratch / "requirements.txt"
    locked.write_text(_locked(_needed()))
    pip = [sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--no-compile"]
    subprocess.run([*pip, "--target", libraries, "--no-deps", "--require-hashes", "-r", locked], check=True)
    subprocess.run([*pip, "--target", libraries, "--no-deps", "--no-build-isolation", ROOT], check=True)
    shutil.rmtree(libraries / "bin", ignore_errors=True)
    for record in libraries.glob("*.dist-info/direct_url.json"):
        record.unlink()  # it names the directory this was built in
    program = home / "bin" / "kiteroll"
    program.write_text(f"#!/{HOME}/bin/python3 -I\nfrom kiteroll.cli.main import run\n\nrun()\n")
    program.chmod(0o755)


def _needed() -> set[str]:
    """Names of all distributions that run needs, at any distance."""
    found: set[str] = set()
    waiting: list[tuple[str, tuple[str, ...]]] = [("kiteroll", ("", *_EXTRAS))]
    while waiting:
        distribution, extras = waiting.pop()
        for text in requires(distribution) or ():
            one = Requirement(text)
            name = _normal(one.name)
            wanted = one.marker is None or any(one.marker.evaluate({"extra": extra}) for extra in extras)
            if wanted and name not in found:
                found.add(name)
                waiting.append((name, ("",)))
    return found


def _locked(names: set[str]) -> str:
    """Their lines of requirements.lock. Raises KeyError for one that is not there."""
    entries = re.split(r"\n(?=[A-Za-z0-9])", (ROOT / "requirements.lock").read_text().strip())
    by_name = {_normal(re.split(r"[=\[ ]", entry, maxsplit=1)[0]): entry for entry in entries}
    return "\n".join(by_name[name] for name in sorted(names)) + "\n"


def _normal(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def _files(stage: Path) -> None:
    (stage / "usr/bin").mkdir(parents=True)
    (stage / "usr/bin/kiteroll").symlink_to(f"/{HOME}/bin/kiteroll")
    for source, target in (
        ("kiteroll.service", UNITS / "kiteroll.service"),
        ("kiteroll.sysusers", "usr/lib/sysusers.d/kiteroll.conf"),
        ("kiteroll.tmpfiles", "usr/lib/tmpfiles.d/kiteroll.conf"),
        ("kiteroll.toml", "etc/kiteroll/kiteroll.toml"),
    ):
        _put(stage / target, (SOURCE / source).read_bytes())
    for role in ROLES:
        _put(stage / UNITS / f"kiteroll-{role}.service", unit_of(role).encode())
    for shell, target in (
        ("bash", "usr/share/bash-completion/completions/kiteroll"),
        ("zsh", "usr/share/zsh/vendor-completions/_kiteroll"),
        ("fish", "usr/share/fish/vendor_completions.d/kiteroll.fish"),
    ):
        command = [sys.executable, "-m", "kiteroll.cli", "completion", shell]
        _put(stage / target, subprocess.run(command, check=True, capture_output=True).stdout)
    _put(stage / "usr/share/man/man1/kiteroll.1.gz", gzip.compress(page().encode(), mtime=0))
    documents = stage / "usr/share/doc/kiteroll"
    _put(documents / "copyright", (ROOT / "LICENSE").read_bytes())
    for file in (ROOT / "docs").glob("*.md"):
        _put(documents / file.name, file.read_bytes())


def unit_of(role: str) -> str:
    """The unit of the service, for another role: as locked up as that."""
    what, command = ROLES[role]
    lines = (SOURCE / "kiteroll.service").read_text().splitlines()
    changed = {"Description": f"Kite Roll: {what}", "ExecStart": f"/usr/bin/{command}"}
    return "".join(
        f"{name}={changed[name]}\n" if (name := line.split("=")[0]) in changed else f"{line}\n"
        for line in lines
    )


def _pack(stage: Path) -> Path:
    control = stage / "DEBIAN"
    size = sum(file.lstat().st_size for file in stage.rglob("*") if file.is_file()) // 1024
    architecture = subprocess.run(
        ["dpkg", "--print-architecture"], check=True, capture_output=True, text=True
    ).stdout.strip()
    text = _CONTROL.format(version=__version__, architecture=architecture, size=size, depends=_DEPENDS)
    _put(control / "control", text.encode())
    _put(control / "conffiles", b"/etc/kiteroll/kiteroll.toml\n")
    for script in ("postinst", "prerm", "postrm"):
        _put(control / script, (SOURCE / script).read_bytes())
        (control / script).chmod(0o755)
    DIST.mkdir(exist_ok=True)
    package = DIST / f"kiteroll_{__version__}_{architecture}.deb"
    subprocess.run(["dpkg-deb", "--root-owner-group", "-Zxz", "-z1", "--build", stage, package], check=True)
    return package


def _put(file: Path, content: bytes) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(content)


if __name__ == "__main__":
    main()
