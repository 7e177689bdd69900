"""Files: paths, writing whole or not at all, archives, locks, and state that is kept. The lowest floor."""
