"""What rules of ports would have found in the recorded past."""
