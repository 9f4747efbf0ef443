"""A service that only answers: it follows the records of the one that tracks, and passes changes on to it."""
