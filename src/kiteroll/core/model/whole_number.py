"""Reading a whole number that was typed or sent."""


def whole_number(text: str, *, least: int = 0, most: int) -> int | None:
    """The number that `text` is in decimal ASCII digits; None for any other text, and out of range.

    `str.isdigit` is no guard for `int`: it takes superscripts, which `int` does not, and any length.
    """
    if not (text.isascii() and text.isdigit()) or len(text) > len(str(most)) + 20:
        return None
    number = int(text)
    return number if least <= number <= most else None
