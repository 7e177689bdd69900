"""The ``ichnos`` program. Heavy packages are imported where a command needs them, never here.

Nothing is imported before ``main`` is in charge, so that whatever goes wrong, also at the start, ends in one line.
"""

from __future__ import annotations

import os
import sys

STOPPED = 130  # what shells give for a program that was stopped with Ctrl+C


def program() -> None:
    """The program from its first moment to its last."""
    # Clips have threads of their own; threads of NumPy's besides, for products this small, only wait for each other.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")  # looking for some takes longer than reading a workspace
    try:
        main()
    finally:
        _stop_no_more()


def main() -> None:
    """Run the program; every error that a person is meant to read is printed here."""
    try:
        code = _run()
    except KeyboardInterrupt:
        code = _stopped()
    if code:
        sys.exit(code)


def _run() -> int:
    from ichnos.cli import faults, streams
    from ichnos.errors import IchnosError

    streams.prepare()
    try:
        from ichnos.cli.commands import app

        code = int(app(standalone_mode=False) or 0)
        sys.stdout.flush()
        return _stopped() if code == STOPPED else code
    except IchnosError as error:
        from ichnos.cli.app import report, report_to_programs

        if isinstance(error, streams.OutputFailed):
            streams.abandon()
        elif "--json" in sys.argv and not streams.has_begun():
            report_to_programs(error)
        report(error)
        return error.exit_code
    except BrokenPipeError:
        streams.abandon()  # the reader has seen enough
        return 1
    except Exception as fault:
        return faults.wrong_call(fault) or faults.caught(fault)


def _stopped() -> int:
    print("Stopped.", file=sys.stderr)
    return STOPPED


def _stop_no_more() -> None:
    """All is done but for putting it away: stopping that would only be noise."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
