"""How a port is named across the whole network."""

PortRef = tuple[str, str]
"""(switch name, port name). A plain tuple: hundreds of thousands are made and hashed in a round."""
