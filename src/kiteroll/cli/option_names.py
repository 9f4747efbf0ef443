"""Messages about a value name its field, as calls have it; who typed an option looks for that."""

import re
from collections.abc import Collection

_FIELD = re.compile(r"(?:^|(?<=; ))([a-z_.]+?)(?:\.\d+)*(?=: )|\b[a-z]+(?:_[a-z]+)+\b")
"""In front of a colon, where it may be one of a list, or of several words."""


def with_options(text: str, options: Collection[str]) -> str:
    """`text` with the options among `options` in place of the fields they set."""

    def option(found: re.Match[str]) -> str:
        name = (found[1] or found[0]).rpartition(".")[2].replace("_", "-")
        for one in (name, name.removesuffix("-s"), name.removesuffix("s")):
            if f"--{one}" in options:
                return f"--{one}"
        return found[0]

    return _FIELD.sub(option, text)
