"""Trackers of areas: who has which switches, and what they tell the service."""
