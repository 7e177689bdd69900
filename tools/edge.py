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
    "chmod", "exists", "glob", "hardlink_to", "is_dir", "is_file", "is_mount", "is_symlink", "iterdir", "lstat",
    "mkdir", "open", "owner", "read_bytes", "read_text", "readlink", "rename", "resolve", "rglob", "rmdir", "samefile",
    "stat", "symlink_to", "touch", "unlink", "walk_up", "write_bytes", "write_text",
}  # fmt: skip
MODULES = {"glob", "shutil", "tempfile", "filecmp"}
HARMLESS = {  # of the modules that are looked at: nothing of them touches a file
    "os.SEEK_CUR", "os.SEEK_END", "os.SEEK_SET", "os.cpu_count", "os.environ", "os.fsdecode", "os.fsencode",
    "os._exit", "os.getpid", "os.sep", "os.path.normpath", "shutil.copyfileobj", "shutil.get_terminal_size",
}  # fmt: skip
OTHERS = {  # given a stream that ``files/`` has opened, or an address
    "av.open", "soundfile.SoundFile", "Image.open", "webbrowser.open",
}  # fmt: skip
PRINTS = {"print", "typer.echo", "typer.secho", "click.echo"}


def dotted(node: ast.AST) -> str:
    """A name with its dots, as it is written; empty for anything else."""
    if isinstance(node, ast.Name):
        return node.id
    inner = dotted(node.value) if isinstance(node, ast.Attribute) else ""
    return f"{inner}.{node.attr}" if inner and isinstance(node, ast.Attribute) else ""


def crossings(tree: ast.AST, *, disk: bool, talk: bool) -> Iterator[tuple[int, str]]:
    """Where a module crosses an edge: the line, and what it calls."""
    for node in ast.walk(tree):
        name = dotted(node)
        if disk and isinstance(node, ast.Attribute) and name.partition(".")[0] in {"os", *MODULES}:
            if name != "os.path" and not name.startswith(tuple(HARMLESS)):
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
        talk = room.parts[0] == "cli" and room.name not in ("show.py", "main.py")  # main prints before all else
        for line, what in crossings(ast.parse(path.read_text("utf-8")), disk=disk, talk=talk):
            rule = "print with cli/show.py" if what in PRINTS else "reach the disk through files/"
            found.append(f"{path}:{line}: {what}: {rule}")
    print("\n".join(found) or "Only files/ touches the disk, only cli/show.py prints.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
