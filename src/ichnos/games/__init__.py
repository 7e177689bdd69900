"""Game profiles: a pack with holes, and the rules that a file cannot show."""
