"""``python -m ichnos`` is the same program as ``ichnos``."""

from ichnos.cli.main import main

if __name__ == "__main__":
    main()
