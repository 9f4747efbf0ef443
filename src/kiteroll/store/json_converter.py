"""Values of the core as JSON and back: instants as RFC 3339, spans in seconds."""

from datetime import UTC, datetime, timedelta

from cattrs import Converter


def json_converter() -> Converter:
    """To be taught addresses and unions by whoever uses it; what is as by default is left out."""
    made = Converter(omit_if_default=True)
    made.register_unstructure_hook(datetime, datetime.isoformat)
    made.register_structure_hook(datetime, lambda text, _: datetime.fromisoformat(text).astimezone(UTC))
    made.register_unstructure_hook(timedelta, timedelta.total_seconds)
    made.register_structure_hook(timedelta, lambda seconds, _: timedelta(seconds=seconds))
    return made
