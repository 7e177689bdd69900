"""A draft of a game's profile, from finished packs for it."""
