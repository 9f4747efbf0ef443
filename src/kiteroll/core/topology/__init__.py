"""How switches are connected: roles of ports, where an endpoint attaches, and the path to it."""
