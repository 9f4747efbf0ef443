"""Reads switches: SNMP, Linux bridges, CSV tables; and what they send unasked."""
