"""Queries: each answers with plain values, without HTTP or Pydantic."""
