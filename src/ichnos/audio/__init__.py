"""Clips and sound files. Knows nothing of games; audio flows through it in blocks."""
