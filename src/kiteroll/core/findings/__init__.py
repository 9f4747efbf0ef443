"""What a person must look at: kinds of findings, the engine that raises them, and their lifecycle."""
