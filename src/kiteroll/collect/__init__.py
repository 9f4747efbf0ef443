"""Talks to switches and builds readings; schedules rounds."""
