"""Values every layer shares: addresses, readings, stays and changes."""
