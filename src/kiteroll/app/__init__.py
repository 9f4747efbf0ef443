"""The application: what the service does with readings, rules and people's requests. No HTTP here."""
