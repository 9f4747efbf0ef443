"""Readings played through the tracker and the finding engine, in memory, on a virtual clock."""
