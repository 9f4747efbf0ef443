"""Every list as a file."""
