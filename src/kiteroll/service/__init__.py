"""The service: collect -> core -> store, an HTTP API over them, a live stream, and the console."""
