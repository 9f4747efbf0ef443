"""Patterns for LIKE."""


def escape_like(text: str) -> str:
    """`text` so that it stands for itself in a pattern."""
    return text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
