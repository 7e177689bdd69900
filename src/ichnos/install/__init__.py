"""In the game: packs put into it, and taken out again to the byte."""
