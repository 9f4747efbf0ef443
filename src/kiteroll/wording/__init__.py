"""Typed values of the core in English: the one place where sentences are made.

Used by the presenters of the API and by commands that run without a service.
"""
