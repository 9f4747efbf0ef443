"""Who may do what: rights, the roles that hold them, and the account or token that acts."""
