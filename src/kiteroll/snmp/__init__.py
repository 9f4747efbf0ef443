"""SNMP messages as bytes and values, without I/O: used by the reader and by the simulated agents.

`docs/decisions/snmp-codec.md` says why this is our own.
"""
