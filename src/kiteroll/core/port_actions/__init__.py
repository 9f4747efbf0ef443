"""Acting on ports: what may be done, what speaks against it, and when a closed port opens again."""
