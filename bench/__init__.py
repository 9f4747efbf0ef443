"""Benchmarks. `python -m bench [NAME ...]` prints figures and ratios; nothing here passes or fails."""
