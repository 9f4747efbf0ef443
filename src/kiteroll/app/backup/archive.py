"""The file of a backup: a ZIP with the dump, the keys under a passphrase, and a manifest written last."""

import hashlib
import json
import os
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import IO, Any

from kiteroll.core.errors import ConfigError, Invalid

FORMAT = 1
_DUMP, _KEYS, _MANIFEST = "database.sql", "keys.json", "manifest.json"
_LARGEST_JSON = 1 << 20
_CHUNK = 1 << 20
_LAST_LINE = b"-- Dump completed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Manifest:
    format: int
    made_at: str
    """RFC 3339."""
    version: str
    """Of Kite Roll."""
    revision: str
    """Of the tables."""
    host: str
    sha256: str
    """Of the dump."""
    octets: int


def write(
    file: Path,
    dump: Callable[[Callable[[bytes], object]], None],
    keys: Mapping[str, Any],
    about: Mapping[str, Any],
) -> Manifest:
    """Whole or not at all. `dump` is given what to write with. Raises ConfigError, and what `dump` raises."""
    part = file.with_name(file.name + ".part")
    digest, octets = hashlib.sha256(), 0
    try:
        descriptor = os.open(part, os.O_RDWR | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "w+b") as raw:
            with zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
                with archive.open(_DUMP, "w", force_zip64=True) as member:

                    def put(piece: bytes) -> None:
                        nonlocal octets
                        digest.update(piece)
                        octets += len(piece)
                        member.write(piece)

                    dump(put)
                manifest = Manifest(format=FORMAT, sha256=digest.hexdigest(), octets=octets, **about)
                archive.writestr(_KEYS, json.dumps(dict(keys)))
                archive.writestr(_MANIFEST, json.dumps(asdict(manifest)))
            raw.flush()
            os.fsync(raw.fileno())
        part.replace(file)
    except OSError as wrong:
        part.unlink(missing_ok=True)
        raise ConfigError(str(file), (f"the backup cannot be written: {wrong.strerror}",)) from wrong
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    return manifest


class Archive:
    """A backup that is read."""

    def __init__(self, archive: zipfile.ZipFile, manifest: Manifest, keys: dict[str, Any]) -> None:
        self._archive = archive
        self.manifest = manifest
        self.keys = keys

    @contextmanager
    def dump(self) -> Iterator[IO[bytes]]:
        with self._archive.open(_DUMP) as member:
            yield member

    def check_dump(self) -> None:
        """Raises Invalid when it is not what was written."""
        digest, octets, tail = hashlib.sha256(), 0, b""
        try:
            with self.dump() as member:
                while piece := member.read(_CHUNK):
                    digest.update(piece)
                    octets += len(piece)
                    tail = (tail + piece)[-200:]
        except (zipfile.BadZipFile, zlib.error, EOFError, OSError, ValueError) as wrong:
            raise Invalid(f"the dump in the backup is damaged: {wrong}") from wrong
        if (digest.hexdigest(), octets) != (self.manifest.sha256, self.manifest.octets):
            raise Invalid("the dump in the backup is not the one that was written")
        if _LAST_LINE not in tail:
            raise Invalid("the dump in the backup was cut off")


@contextmanager
def read(file: Path) -> Iterator[Archive]:
    """Raises Invalid when it is no backup, or one of a later version."""
    try:
        with zipfile.ZipFile(file) as archive:
            found = _json(archive, _MANIFEST)
            if found.get("format") != FORMAT:
                raise Invalid(
                    f"{file}: a backup of format {found.get('format')}; this version reads {FORMAT}"
                )
            manifest = Manifest(**{one.name: found[one.name] for one in fields(Manifest)})
            keys = _json(archive, _KEYS)
            yield Archive(archive, manifest, keys)
    except FileNotFoundError as missing:
        raise Invalid(f"{file}: there is no such file") from missing
    except (zipfile.BadZipFile, KeyError, TypeError, ValueError) as wrong:
        raise Invalid(f"{file}: is no backup of Kite Roll: {wrong}") from wrong
    except OSError as wrong:
        raise Invalid(f"{file}: cannot be read: {wrong.strerror}") from wrong


def _json(archive: zipfile.ZipFile, name: str) -> dict[str, Any]:
    if archive.getinfo(name).file_size > _LARGEST_JSON:
        raise Invalid(f"{name} in the backup is too large to be one")
    found: dict[str, Any] = json.loads(archive.read(name))
    return found
