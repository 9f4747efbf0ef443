"""What a person must look at: the kinds of findings, the rules that raise them, and their life."""
