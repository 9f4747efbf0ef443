"""Alerts: what is sent about which finding, and its delivery."""
