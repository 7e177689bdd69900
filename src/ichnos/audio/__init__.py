"""Clips and sound files. Knows nothing of games. Floors: blocks, files, measure, process, drawing."""
