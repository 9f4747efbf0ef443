"""The parts of the service: built once, each handed exactly what it uses. `whole` puts the groups together;
every other module builds one group."""
