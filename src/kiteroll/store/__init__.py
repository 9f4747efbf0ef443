"""The records, in MariaDB through SQLAlchemy. All SQL is here."""
