"""The command line. Every command is a thin function over the client library."""
