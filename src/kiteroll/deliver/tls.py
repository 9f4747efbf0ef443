"""Certificates of servers are checked: with those the system trusts, or a file of one's own."""

import ssl
from pathlib import Path

from kiteroll.deliver.delivery import NotDelivered


def client_context(ca_file: str) -> ssl.SSLContext:
    """`ca_file`: PEM file of the authorities that are trusted; empty: those of the system. Raises
    NotDelivered."""
    if not ca_file:
        return ssl.create_default_context()
    try:
        return ssl.create_default_context(cafile=Path(ca_file))
    except OSError as wrong:
        raise NotDelivered(f"ca_file: {ca_file}: cannot be read: {wrong}") from wrong
