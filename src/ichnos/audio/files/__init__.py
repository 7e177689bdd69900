"""Sound files: containers, tags, loop marks, and decoding in blocks."""
