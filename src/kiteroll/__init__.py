"""Kite Roll: where every endpoint is connected, by switch, port and VLAN, and since when."""

__version__ = "0.1.0"
