"""The tracker of an area: takes the readings of its sites, and keeps their records."""
