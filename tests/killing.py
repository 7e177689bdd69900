"""Runs a command once for each of its changes to the disk, and kills it just before that one.

    python killing.py FOLDER WORD... < CHECK

FOLDER is copied afresh for each run; CHECK is Python that is run in the copy after each run. It prints how many deaths there were.
"""

from __future__ import annotations

import contextlib
import io
import os
import shutil
import sys
import traceback
from pathlib import Path

STEP = int(os.environ.get("KILLING_STEP", "1"))  # every change, or every so-manyth
WRITES = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC
CHANGES = {
    "os.rename",
    "os.remove",
    "os.mkdir",
    "os.rmdir",
    "os.link",
    "os.chmod",
    "os.truncate",
    "os.utime",
    "sqlite3.connect",
}


def run(words: list[str]) -> int:
    from ichnos.cli.main import main

    sys.argv = ["ichnos", *words]
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        try:
            main()
        except SystemExit as stop:
            return int(stop.code or 0)
    return 0


def killed_before(number: int, words: list[str]) -> bool:
    """In a process of its own; False where it came to its end."""
    child = os.fork()
    if not child:
        left = number

        def hook(event: str, args: tuple[object, ...]) -> None:
            nonlocal left
            writes = event == "open" and isinstance(args[2], int) and args[2] & WRITES
            if (event in CHANGES or writes) and not str(args[0]).startswith("/dev/"):
                left -= 1
                if not left:
                    os._exit(99)

        sys.addaudithook(hook)
        os._exit(run(words))
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 99


def main() -> None:
    folder, words = Path(sys.argv[1]), sys.argv[2:]
    check = compile(sys.stdin.read(), "check", "exec")
    copy = folder.with_name(f"{folder.name}-killed")
    exec(os.environ.get("KILLING_FIRST", ""))  # what is otherwise on this machine
    number, deaths = 0, 0
    while True:
        shutil.rmtree(copy, ignore_errors=True)
        shutil.copytree(folder, copy, symlinks=True)
        os.chdir(copy)
        if not number:
            run(words)  # everything is imported now, and need not be in each run
            number = 1
            continue
        dead = killed_before(number, words)
        deaths += dead
        child = os.fork()
        if not child:
            try:
                exec(check, {"run": run, "number": number, "dead": dead, "Path": Path})
            except BaseException as error:
                line = traceback.extract_tb(error.__traceback__)[1].lineno
                print(f"killed before change {number}: line {line} of the check: {error!r}", flush=True)
                os._exit(1)
            os._exit(0)
        if os.waitpid(child, 0)[1]:
            sys.exit(1)
        if not dead:
            print(deaths)
            return
        number += STEP


if __name__ == "__main__":
    main()
