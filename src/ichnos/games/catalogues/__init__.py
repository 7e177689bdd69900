"""The keys that games have: harvested, kept, searched."""
