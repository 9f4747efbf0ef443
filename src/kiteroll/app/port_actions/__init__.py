"""Acting on ports: what is planned, sent, read back; what rules propose or close; what opens again."""
