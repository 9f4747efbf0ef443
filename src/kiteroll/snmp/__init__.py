"""SNMP messages as bytes and values, without I/O: used by the reader and by the simulated agents.

`docs/decisions/snmp-codec.md` tells why this is our own.
"""
