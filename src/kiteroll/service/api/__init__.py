"""The HTTP API, one module a resource. Handlers parse, ask once, and render."""
