"""Telling people: what is told of which finding, and its delivery."""
