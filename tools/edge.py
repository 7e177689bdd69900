"""The two edges: only ``files/`` touches the disk, and only ``cli/show.py`` prints. Run by ``make lint``.

A call that asks the system about a path, or prints a text of a stranger's as it stands, is what tracebacks and
forged lines come from; so it is looked for in the source, and not hoped for.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "ichnos"

# Methods of pathlib.Path and of streams that reach the disk; a method of one's own is called by another name.
METHODS = {
    "chmod", "exists", "extractall", "glob", "hardlink_to", "is_dir", "is_file", "is_mount", "is_symlink", "iterdir",
    "lstat", "mkdir", "open", "owner", "read_bytes", "read_text", "readlink", "rename", "resolve", "rglob", "rmdir",
    "samefile", "stat", "symlink_to", "touch", "unlink", "walk_up", "write_bytes", "write_text",
}  # fmt: skip
MODULES = {"glob", "shutil", "tempfile", "filecmp", "sqlite3"}
HARMLESS = {  # of the modules that are looked at: nothing of them touches a file
    "os.SEEK_CUR", "os.SEEK_END", "os.SEEK_SET", "os.cpu_count", "os.environ", "os.fsdecode", "os.fsencode",
    "os._exit", "os.getpid", "os.sep", "os.path.normpath", "shutil.copyfileobj", "shutil.get_terminal_size",
    "sqlite3.Connection", "sqlite3.Error", "sqlite3.DatabaseError", "sqlite3.OperationalError",
}  # fmt: skip
OTHERS = {  # given a stream that ``files/`` has opened, or an address
    "av.open", "soundfile.SoundFile", "Image.open", "webbrowser.open",
}  # fmt: skip
PRINTS = {"print", "typer.echo", "typer.secho", "click.echo"}
STREAMS = {"sys.stdout", "sys.stderr", "sys.stdin"}
TALKERS = {  # main prints before all else; the box is a process of its own, which answers in its pipe
    "cli/show.py", "cli/streams.py", "cli/main.py", "play/lua_box.py",
}  # fmt: skip


def dotted(node: ast.AST) -> str:
    """A name with its dots, as it is written; empty for anything else."""
    if isinstance(node, ast.Name):
        return node.id
    inner = dotted(node.value) if isinstance(node, ast.Attribute) else ""
    return f"{inner}.{node.attr}" if inner and isinstance(node, ast.Attribute) else ""


def renamed(node: ast.Import | ast.ImportFrom, *, disk: bool, talk: bool) -> Iterator[str]:
    """What is imported so that its calls would not be seen: one name alone, or a module under another name."""
    watched = {"os", "os.path", *MODULES} if disk else set()
    if isinstance(node, ast.Import):
        yield from (f"{one.name} as {one.asname}" for one in node.names if one.asname and one.name in watched)
        return
    names = [f"{node.module}.{one.name}" for one in node.names]
    yield from (name for name in names if node.module in watched and name not in HARMLESS)
    yield from (name for name in names if talk and name in STREAMS)


def crossings(tree: ast.AST, *, disk: bool, talk: bool) -> Iterator[tuple[int, str]]:
    """Where a module crosses an edge: the line, and what it calls."""
    for node in ast.walk(tree):
        name = dotted(node)
        if isinstance(node, ast.Import | ast.ImportFrom):
            yield from ((node.lineno, one) for one in renamed(node, disk=disk, talk=talk))
        elif talk and name in STREAMS:
            yield node.lineno, name
        elif disk and isinstance(node, ast.Attribute) and name.partition(".")[0] in {"os", *MODULES}:
            if name != "os.path" and name not in HARMLESS and not name.startswith("os.environ."):
                yield node.lineno, name
        elif isinstance(node, ast.Call):
            called = dotted(node.func)
            method = node.func.attr if isinstance(node.func, ast.Attribute) else ""
            own = called.startswith("disk.") or (called.startswith("self.") and called.count(".") == 1)
            if disk and (called == "open" or (method in METHODS and not own and called not in OTHERS)):
                yield node.lineno, called or f"....{method}"
            if talk and called in PRINTS:
                yield node.lineno, called


def main() -> int:
    """Print each crossing; 1 where there is one."""
    found = []
    for path in sorted(SOURCE.rglob("*.py")):
        room = path.relative_to(SOURCE)
        disk = room.parts[0] != "files" and room.name != "streams.py"  # which has the program's own streams
        talk = room.as_posix() not in TALKERS
        for line, what in crossings(ast.parse(path.read_text("utf-8")), disk=disk, talk=talk):
            rule = "print with cli/show.py" if what in (*PRINTS, *STREAMS) else "reach the disk through files/"
            found.append(f"{path}:{line}: {what}: {rule}")
    print("\n".join(found) or "Only files/ touches the disk, only cli/show.py prints.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
