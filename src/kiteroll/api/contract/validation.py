"""Parameters that a call does not take."""

from fastapi import Request
from fastapi.dependencies.utils import get_flat_params
from fastapi.params import Query

from kiteroll.core.errors import InvalidParts
from kiteroll.core.model.nearest import did_you_mean

_FLAT: dict[str, frozenset[str]] = {}


def check_query(request: Request) -> None:
    """Raises InvalidParts for a parameter that the call does not take: a mistyped filter would otherwise pass
    for a list of everything."""
    route = request.scope["route"]
    known = _FLAT.get(route.name)
    if known is None:
        declared = get_flat_params(route.dependant)
        known = _FLAT[route.name] = frozenset(
            one.alias for one in declared if isinstance(one.field_info, Query)
        )
    unknown = [name for name in request.query_params if name not in known]
    if unknown:
        takes = f"this call takes {', '.join(sorted(known))}" if known else "this call takes none"
        raise InvalidParts(
            "unknown parameter",
            [(f"query.{name}", did_you_mean(name, known, takes)) for name in dict.fromkeys(unknown)],
        )
