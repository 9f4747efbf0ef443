"""The one list of all tables."""

from sqlalchemy import (
    MetaData,
)

metadata = MetaData()
