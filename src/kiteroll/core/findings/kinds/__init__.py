"""The kinds of findings, one file each: rule, thresholds, help."""
