"""Why stays ended, in words."""

from kiteroll.core.model.stay import Ending

_ENDINGS = {
    Ending.HELD_OUT: "not seen within the hold time",
    Ending.MOVED: "learned at another port of the switch",
    Ending.PORT_DOWN: "port went down",
    Ending.REMOVED: "switch was removed from the inventory",
}


def ending_text(ending: Ending) -> str:
    return _ENDINGS[ending]
