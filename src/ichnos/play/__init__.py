"""The stand-in game: it reads built packs as the game would, and plays them."""
