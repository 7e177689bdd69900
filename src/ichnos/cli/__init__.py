"""The command line: it parses, calls and prints, and decides nothing."""
