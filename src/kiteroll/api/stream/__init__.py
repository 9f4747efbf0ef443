"""The live stream (server-sent events)."""
