"""The computation: readings in, changes out. No I/O, no clock, no framework.

Time is always a value handed in (aware, UTC); the same readings in the same order give the
same stays and the same changes.
"""
