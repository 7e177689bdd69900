"""``python -m ichnos`` is the same program as ``ichnos``."""

from ichnos.cli.main import program

if __name__ == "__main__":
    program()
