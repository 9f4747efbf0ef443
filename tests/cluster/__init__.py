"""A service on a cluster of databases, and taken over."""
