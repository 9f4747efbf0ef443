"""Who may call the service: accounts, signing in, tokens, sessions, and the audit log."""
