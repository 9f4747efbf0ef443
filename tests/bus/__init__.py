"""Messages between collectors and the centre."""
