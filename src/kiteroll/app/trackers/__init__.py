"""Trackers of areas: who has which switches, and what they report to the service."""
