"""Who may be on a port: rules, how they are inherited, and their one evaluation."""
