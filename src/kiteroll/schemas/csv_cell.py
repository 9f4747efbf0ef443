"""Text in CSV that a spreadsheet must not take for a formula."""

_BEGINS_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def csv_cell(text: str) -> str:
    """With an apostrophe before text that a spreadsheet would work out: names and labels come from switches
    and devices, and whoever opens the file is not to run what they say."""
    return f"'{text}" if text.startswith(_BEGINS_FORMULA) else text
