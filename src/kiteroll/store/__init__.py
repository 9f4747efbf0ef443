"""The records, in MariaDB through SQLAlchemy. No SQL is written anywhere else."""
