"""How descriptions look in the help: paragraphs as wide as the terminal, examples as they are written."""

import argparse
import textwrap
from itertools import groupby


class Paragraphs(argparse.HelpFormatter):
    """Fills lines that follow each other; those that are indented, and empty ones, stay."""

    def _fill_text(self, text: str, width: int, indent: str) -> str:
        parts: list[str] = []
        for fills, lines in groupby(text.splitlines(), lambda line: line[:1].strip() != ""):
            if fills:
                parts += textwrap.wrap(" ".join(lines), width, break_long_words=False, break_on_hyphens=False)
            else:
                parts += lines
        return "\n".join(indent + part if part else part for part in parts)
