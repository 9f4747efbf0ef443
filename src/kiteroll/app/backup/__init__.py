"""Backups: made while the service runs, checked, restored."""
