"""The HTTP API, one module a resource."""
