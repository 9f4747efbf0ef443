"""Alerts of findings: which go where, when again, and when not."""
