"""The last net: what nobody foresaw becomes one line and a report, never a traceback."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from ichnos import __version__
from ichnos.cli import show

FAULT = 70  # exit code: a fault inside the program (as sysexits.h has it)
_NET = "ICHNOS_NET"  # "off": faults are raised, as the tests want them
_ROOM = 200  # characters of what an error says: enough to find it, too few for a file's contents
_LIBRARIES = ("typer", "rich", "numpy", "scipy", "soundfile", "soxr", "pydantic", "tomlkit", "jinja2", "pillow", "av")


def wrong_call(error: Exception) -> int:
    """Print what is wrong with how the program was called, where that is all; its exit code, else 0."""
    message = getattr(error, "format_message", None)
    if message is None:
        return int(type(error).__name__ == "Abort")
    from ichnos.cli.app import report_to_programs
    from ichnos.errors import UsageError

    context = getattr(error, "ctx", None)
    if type(error).__name__ == "NoArgsIsHelpError":
        show.say(error, err=True)
    else:
        if context is not None:
            show.say(context.get_usage(), err=True)
            show.say(f"Try '{context.command_path} --help' for help.\n", err=True)
        show.say(f"Error: {message()}", err=True)
        if "--json" in sys.argv:
            report_to_programs(UsageError(str(message())))
    return int(getattr(error, "exit_code", 2))


def caught(fault: Exception) -> int:
    """Say that the program is at fault, and where the report of it is. Raises it where the net is off."""
    if os.environ.get(_NET) == "off":
        raise fault
    from ichnos.errors import IchnosError

    frames = _frames(fault)
    where = f" in {frames[-1]}" if frames else ""
    show.say(f"this is a fault of Ichnos, not of yours: {type(fault).__name__}{where}", lead="error:", err=True,
             fg="red", bold=True)  # fmt: skip
    try:
        cure = f"send this report to the makers, please: {_report(fault, frames)}"
    except IchnosError as error:
        cure = f"tell the makers, please; no report could be written ({error})"
    show.say(cure, lead="  cure:", err=True, bold=True)
    return FAULT


def _frames(fault: BaseException) -> list[str]:
    """Where it happened: our own files and lines, the innermost last."""
    import traceback

    root = Path(__file__).parent.parent
    places = [(Path(frame.filename), frame.lineno) for frame in traceback.extract_tb(fault.__traceback__)]
    return [f"{path.relative_to(root).as_posix()}:{line}" for path, line in places if path.is_relative_to(root)]


def _report(fault: BaseException, frames: list[str]) -> Path:
    """Write what helps to mend it into the user's data folder: no values, and nothing out of files."""
    import datetime
    import platform
    import traceback
    from importlib.metadata import PackageNotFoundError, version

    from ichnos.files.user import data_folder
    from ichnos.files.writing import write_whole

    versions = [f"ichnos {__version__}", f"Python {platform.python_version()}", platform.platform()]
    for name in _LIBRARIES:
        try:
            versions.append(f"{name} {version(name)}")
        except PackageNotFoundError:
            versions.append(f"{name} is not installed")
    calls = [f"{frame.filename}:{frame.lineno} {frame.name}" for frame in traceback.extract_tb(fault.__traceback__)]
    now = datetime.datetime.now(tz=datetime.UTC)
    lines = [
        f"A fault of Ichnos, {now.isoformat(timespec='seconds')}", "", *versions, "",
        f"command: {sys.argv[1:]!r}", "", f"{type(fault).__name__}: {str(fault)[:_ROOM]!r}", "", *calls,
    ]  # fmt: skip
    path = data_folder() / "faults" / f"{now:%Y-%m-%dT%H-%M-%S}-{os.getpid()}.txt"
    write_whole(path, ("\n".join(lines) + "\n").encode("utf-8", "backslashreplace"))
    return path
