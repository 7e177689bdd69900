"""Attacks the program with what strangers, slips and a bad day bring, and counts what goes wrong.

    python benchmarks/attack.py [--cases 5000] [--seed 1] [--family NAME]

Each case is a command in a copy of the demonstration's folder in which something is odd, in a process of its own,
with the net in place. What must not happen: a fault (exit code 70), a traceback, an exit code of another kind than
0, 1, 2, 130, more than 60 seconds or 6 GB, or a file outside the folder that is new or changed. POSIX only.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import io
import json
import os
import random
import resource
import shutil
import signal
import stat
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import NoReturn

LIMIT, MEMORY, NOBODY = 60, 6 << 30, 65534
WORKSPACE, PACK = "storm-watch", "storm-watch/build/storm-watch-0.1.0.lampbox"
EVIL = "a\x1b[2Jb\x9bc\u202ed[/b]e{{7*7}}%s$(x)"
NUMBERS = (
    "inf",
    "-inf",
    "nan",
    "1e308",
    "-1e308",
    "1e-320",
    "9" * 90,
    "9" * 5000,
    "0",
    "-1",
    '"x"',
    "[]",
    "{}",
    "true",
)
COMMANDS = (
    "build", "build --dry-run", "build --json", "check", "check --json", "check --sarif", "keys foghorn", "look clips",
    "keys harvest ../Tarnlight --game ../game", "convert clips --to out --container wav --overwrite", "games check ../game",
    "assign boat-foghorn-near clips/draught.wav", "release --patch --note x", "loop clips/draught.wav",
    "heard clips/draught.wav --bed clips/gull.ogg", "split clips/bell-take3.wav --to out", "games show ../game",
    "treat clips/draught.wav --trim --to out --overwrite", "start ../new --game ../game", "assign --from clips",
    "install", "install --dry-run --json", "install ../storm-watch/build --to ../Tarnlight", "restore", "restore --force",
    "listen --against build/storm-watch-0.1.0.lampbox", "listen --to l.html --audio beside --bed clips/gull.ogg",
    "sheet --to s.png", "assign --verdicts storm.toml",
    "installed", "installed --json", "status", "status --json", "build --install", "swap boat-foghorn-near clips/draught.wav",
    "rehearse", "rehearse storm.toml --json", "rehearse storm.toml --to m.wav --picture m.png --overwrite --seconds 3",
    "rehearse --statistics 100", "rehearse --write-scene w.toml --overwrite", "play tower-bell-near --to b.wav --overwrite",
    "trigger stair-hail-wild --event dusk --from stove", "schedule night stair-hail-wild --between boat-foghorn-near",
)  # fmt: skip

Case = tuple[list[str], Callable[[Path, random.Random], None]]


def files(root: Path) -> list[Path]:
    return sorted(path for path in root.rglob("*") if not path.is_symlink())


def emptied(path: Path) -> None:
    shutil.rmtree(path) if path.is_dir() else path.unlink()


# What may happen to any file or folder.
ODD: dict[str, Callable[[Path, random.Random], object]] = {
    "unreadable": lambda path, _: path.chmod(0),
    "read-only": lambda path, _: path.chmod(0o555 if path.is_dir() else 0o444),
    "a folder": lambda path, _: (emptied(path), path.mkdir()),
    "a file": lambda path, _: (emptied(path), path.write_bytes(b"x")),
    "a ring": lambda path, _: (emptied(path), path.symlink_to(path.name)),
    "endless": lambda path, _: (emptied(path), path.symlink_to("/dev/zero")),
    "full": lambda path, _: (emptied(path), path.symlink_to("/dev/full")),
    "a pipe": lambda path, _: (emptied(path), os.mkfifo(path)),
    "gone": lambda path, _: emptied(path),
    "empty": lambda path, _: path.is_file() and path.write_bytes(b""),
    "cut": lambda path, chance: path.is_file() and path.write_bytes(path.read_bytes()[: chance.randrange(path.stat().st_size + 1)]),
    "flipped": lambda path, chance: path.is_file() and path.write_bytes(flipped(path.read_bytes(), chance)),
    "noise": lambda path, chance: path.is_file() and path.write_bytes(chance.randbytes(5000)),
    "outside": lambda path, _: (emptied(path), path.symlink_to("../../canary" if path.parent.name == WORKSPACE else "/etc")),
}  # fmt: skip


def flipped(data: bytes, chance: random.Random) -> bytes:
    found = bytearray(data)
    for _ in range(chance.randrange(1, 30)):
        if found:
            found[chance.randrange(len(found))] ^= 1 << chance.randrange(8)
    return bytes(found)


def places(root: Path, chance: random.Random) -> Case:
    """Any command, with one file or folder odd."""
    target = chance.choice(files(root)).relative_to(root)
    odd = chance.choice(list(ODD.values()))
    return chance.choice(COMMANDS).split(), lambda here, own: (odd(here / target, own), None)[1]


def names(_: Path, chance: random.Random) -> Case:
    """Clips and folders with names that nobody expects."""
    name = chance.choice(["fog\udcffhorn.wav", "a" * 250 + ".wav", EVIL.replace("/", "") + ".wav", "-x.wav", " .wav", "con.wav", "$a$b$.wav", "Ä".encode().decode("latin-1") + ".wav", "\u202egpj.wav", ":silence", "CLIPS.wav", "a\nb.wav"])  # fmt: skip
    words = chance.choice([["look", "clips"], ["look", f"clips/{name}", "--picture", "p.png"], ["look", "clips", "--json"], ["convert", f"clips/{name}", "--to", "out", "--container", "ogg"], ["assign", "boat-foghorn-near", f"clips/{name}"], ["assign", "--from", "clips"], ["split", f"clips/{name}", "--to", "out"], ["heard", f"clips/{name}", "--bed", "clips/gull.ogg"], ["loop", f"clips/{name}", "--to", name], ["build", "--to", name], ["treat", f"clips/{name}", "--trim", "--to", name], ["start", name, "--game", "tarnlight"]])  # fmt: skip

    def lay(here: Path, _: random.Random) -> None:
        shutil.copy(here / WORKSPACE / "clips/bell-take3.wav", here / WORKSPACE / "clips" / name)

    return words, lay


def fields(root: Path, chance: random.Random) -> Case:
    """Values that nobody can mean, in the workspace's file and in the profile's."""
    profile = chance.random() < 0.5
    path = Path("game/game.toml") if profile else Path(WORKSPACE, chance.choice(["ichnos.toml", "storm.toml"]))
    lines = (root / path).read_text("utf-8").splitlines()
    value = chance.choice([*NUMBERS, json.dumps(EVIL), '"../../x"', '"/etc/passwd"', '"@key@"', '"' + "@title@" * 40 + '"', '"\\u0000"', "1979-05-27", '"(a+)+$"', '"' + "x" * 100_000 + '"'])  # fmt: skip
    extra = chance.choice(["volume", "pitch", "weight", "near", "far", "title", "file", "kind", "category", "like", "takes", "parts", "fields", "key", "treatment", "loop"])  # fmt: skip
    at = chance.randrange(len(lines) + 1)
    if chance.random() < 0.5 and at < len(lines) and "=" in lines[at]:
        lines[at] = f"{lines[at].partition('=')[0]}= {value}"
    else:
        lines.insert(at, f"{extra} = {value}")
    text = "\n".join(lines)
    words = ["games", "check", "../game"] if profile else chance.choice(COMMANDS[:5]).split()
    words = ["rehearse", "storm.toml", "--to", "m.wav"] if path.name == "storm.toml" else words
    return words, lambda here, _: (here / path).write_text(text, "utf-8", "replace") and None


def options(_: Path, chance: random.Random) -> Case:
    """Values that nobody can mean, in options."""
    option = chance.choice(["--gain", "--loudness", "--limit", "--fade", "--speed", "--pitch", "--trim", "--cut", "--repeat", "--high-pass", "--bell", "--soft-clip", "--loop-fade"])  # fmt: skip
    words = chance.choice([["treat", "clips/draught.wav", "--to", "out", option], ["convert", "clips/draught.wav", "--to", "out", "--container", "ogg", chance.choice(["--rate", "--quality", "--channels", "--mono", "--codec", "--bits"])], ["split", "clips/draught.wav", "--to", "out", chance.choice(["--threshold", "--gap", "--shortest", "--margin"])], ["loop", "clips/draught.wav", chance.choice(["--start", "--end", "--fade", "--within"])], ["heard", "clips/draught.wav", "--bed", "clips/gull.ogg", "--wish"], ["rehearse", chance.choice(["--seconds", "--seed", "--statistics"])], ["play", "tower-bell-near", "--to", "b.wav", "--times"], ["keys", chance.choice(["--most", "--category", "--sort"])], ["check", "--budget"], ["explain"], ["build", "--game"], ["look", "clips", "--game"]])  # fmt: skip
    return [
        *words,
        chance.choice([*NUMBERS, EVIL, "", "../../x", "1:2:3:4", "\udcff"]).replace("\0", ""),
    ], lambda *_: None


def templates(_: Path, chance: random.Random) -> Case:
    """Templates that never end, or fill the memory."""
    inner = chance.choice(["{{ 'a' * 10**9 }}", "{{ lipsum(99) }}", "{{ '%1000000000d' % 1 }}", "{% macro m() %}{{ m() }}{{ m() }}{% endmacro %}{{ m() }}", "{% for a in range(99999) %}{% for b in range(99999) %}{% endfor %}{% endfor %}", "{{ [1]|random }}", "{{ ''.__class__.__mro__ }}", "{% include '../../../etc/passwd' %}", "{% set n = namespace(a='aaaa') %}{% for i in range(99) %}{% set n.a = n.a ~ n.a %}{% endfor %}", "{{ sounds|map('string')|join }}", "{{ (" * 500 + "1" + ")" * 500 + " }}", "{% if %}", "{{ " + chance.choice(["sounds", "pack", "pack.title.format(1)", "range(10**12)|list", "'a'.center(10**9)", "1/0", "nothing.at.all"]) + " }}"])  # fmt: skip

    def lay(here: Path, _: random.Random) -> None:
        (here / "game/scripts").mkdir(exist_ok=True)
        (here / "game/scripts/x.lua.j2").write_text("-- one\n" * chance.randrange(3) + inner)
        with (here / "game/game.toml").open("a") as file:
            file.write('\n[[script]]\npath = "x.lua"\n')

    return chance.choice([["games", "check", "../game"], ["build"]]), lay


def packs(root: Path, chance: random.Random) -> Case:
    """Archives that lie, swell, lead out, or hold what nobody foresaw."""
    kind = chance.randrange(8)

    def lay(here: Path, own: random.Random) -> None:
        path = here / "their.lampbox"
        if kind < 3:
            data = bytearray((here / PACK).read_bytes())
            for _ in range(own.randrange(1, 20)):
                data[own.randrange(len(data) - 3000 if kind == 0 else 0, len(data))] ^= 1 << own.randrange(8)
            path.write_bytes(data if kind < 2 else data[: own.randrange(len(data))])
            return
        with zipfile.ZipFile(here / PACK) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
            for name in old.namelist():
                content = old.read(name)
                if kind == 3 and name.endswith(".json"):
                    content = flipped(content, own)
                if kind == 4 and name.endswith("log.json"):
                    content = own.choice([b"[" * 100_000, b'{"log": [{"page": "x", "heard": [' + b"1," * 300_000 + b"1]}]}", b'{"log": 1}', b"\xff\xfe{", json.dumps({"log": [{"page": EVIL, "heard": [{"voice": EVIL, "odds": {EVIL: 1}}] * 500}]}).encode(), b'{"log": [{"page": "x", "heard": [{"voice": "x", "gain": 1e999}]}]}'])  # fmt: skip
                new.writestr(name, content)
            if kind == 5:
                new.writestr(
                    own.choice(["../../out.txt", "/etc/x", "C:\\x", "a\\..\\b", "con.ogg", "A.ogg", EVIL]), b"x"
                )
            if kind == 6:
                new.writestr("lore/audio/bomb.ogg", bytes(64 << 20))
            if kind == 7:
                link = zipfile.ZipInfo("lore/link.ogg")
                link.create_system, link.external_attr = 3, (stat.S_IFLNK | 0o777) << 16
                new.writestr(link, "/etc/passwd")

    words = chance.choice(
        [
            ["check"],
            ["check", "--json"],
            ["check", "--sarif"],
            ["install", "--to", "../Tarnlight"],
            ["rehearse", "--json", "--pack"],
            ["learn", "--to", "learned"],
            ["adopt", "--to", "adopted"],
            ["compare", f"../{PACK}"],
            ["listen", "--to", "their.html", "--against", f"../{PACK}"],
            ["sheet", "--to", "their.png"],
            ["games", "check", "../game", "--against"],
        ]
    )
    if words[0] in ("learn", "games"):
        return [*words, "../their.lampbox"], lay
    if words[0] == "rehearse":
        return [*words, "../their.lampbox", "--game", "../game"], lay
    return [words[0], "../their.lampbox", "--game", "../game", *words[1:]], lay


def placing(_: Path, chance: random.Random) -> Case:
    """A pack in the game, and then something odd there, or in what is kept of it."""
    odd, words = chance.choice(list(ODD.values())), chance.choice(PLACING).split()

    def lay(here: Path, own: random.Random) -> None:
        child = os.fork()
        if not child:
            program(["install"], here, here.parent.parent / f"{here.parent.name}.said")
        os.waitpid(child, 0)
        there = [here / "Tarnlight", *(here / "Tarnlight").rglob("*")]
        kept = [path for name in ("installed*", "originals*") for path in (here / "data").rglob(name)]
        odd(own.choice(own.choice([there, kept or there])), own)

    return words, lay


def state(_: Path, chance: random.Random) -> Case:
    """What is kept, damaged or a stranger's."""
    path = Path(chance.choice([f"{WORKSPACE}/.ichnos/state.sqlite", "data/ichnos.sqlite"]))

    def lay(here: Path, own: random.Random) -> None:
        data = (here / path).read_bytes()
        (here / path).write_bytes(
            own.choice([flipped(data, own), data[: own.randrange(len(data))], own.randbytes(9000), data + data, b""])
        )
        if own.random() < 0.3:
            (here / f"{path}{own.choice(['-wal', '-shm'])}").write_bytes(own.randbytes(4000))
        if own.random() < 0.3:
            (here / WORKSPACE / ".ichnos/release.json").write_bytes(
                own.choice([b"{", b"[]", b'{"version": 1}', own.randbytes(50)])
            )

    return chance.choice(COMMANDS[:7]).split(), lay


def full(_: Path, chance: random.Random) -> Case:
    """A disk on which no file can become larger than so much."""
    most = chance.choice([0, 100, 3000, 20_000, 100_000])
    words = chance.choice([command for command in COMMANDS if "check" not in command]).split()
    return words, lambda *_: resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))


def clips(root: Path, chance: random.Random) -> Case:
    """Clips that are damaged, cut off, empty, or something else."""
    path = chance.choice(files(root / WORKSPACE / "clips")).relative_to(root)
    name = f"clips/{path.name}"
    odd = chance.choice([ODD["cut"], ODD["flipped"], ODD["flipped"], ODD["noise"], ODD["empty"]])
    words = chance.choice([["look", name], ["look", name, "--picture", "p.png"], ["convert", name, "--to", "out", "--container", "wav"], ["treat", name, "--trim", "--pitch", "-3", "--to", "out"], ["split", name, "--to", "out"], ["loop", name, "--better"], ["heard", name, "--bed", name], ["build"], ["assign", "boat-foghorn-near", name]])  # fmt: skip
    return words, lambda here, own: (odd(here / path, own), None)[1]


def killed(_: Path, chance: random.Random) -> Case:
    """A command that was killed at some moment; after it a build must be whole."""
    before = chance.choice(WRITING).split()

    def lay(here: Path, own: random.Random) -> None:
        (here / WORKSPACE / "ichnos.toml").open("a").write("# so that there is something to do\n")
        child = os.fork()
        if not child:
            program(before, here, here.parent.parent / f"{here.parent.name}.said")
        time.sleep(own.uniform(0, 0.8))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)

    return ["build"], lay


def at_once(_: Path, chance: random.Random) -> Case:
    """Two commands that write, at once: each must have done its work, or have said that it did not."""
    pair = chance.choices(WRITING, k=2)

    def lay(here: Path, own: random.Random) -> None:
        children = []
        for number, words in enumerate(pair):
            said = here.parent.parent / f"{here.parent.name}.{number}"
            said.touch()
            said.chmod(0o666)
            child = os.fork()
            if not child:
                time.sleep(own.uniform(0, 0.1) * number)
                program(words.replace("KEY", KEYS[number]).split(), here, said)
            children.append((child, said, words))
        for number, (child, said, words) in enumerate(children):
            code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
            text = (here / WORKSPACE / "ichnos.toml").read_text("utf-8")
            if code == 0 and words.startswith("assign") and KEYS[number] not in text:
                said.write_text(f"{words} says that it is done, and is lost")
            if code == 0 or "saved while it was being changed" in said.read_text("utf-8", "replace"):
                said.unlink()
        lost = [said.read_text("utf-8", "replace") for _, said, _ in children if said.exists()]
        raised = sum(words.startswith("release") for words in pair)
        version = f'version = "0.1.{raised}"'
        if lost or version not in (here / WORKSPACE / "ichnos.toml").read_text("utf-8"):
            (here / WORKSPACE / "ichnos.toml").write_text(f"# {pair}, {lost}\nlost = 1\n")

    return ["build"], lay


PLACING = (
    "install",
    "restore",
    "restore --force",
    "restore --keep-theirs",
    "installed",
    "status",
    "build",
    "keys foghorn",
)

# What writes into a workspace, and two keys that no clip has yet.
WRITING = ("build", "release --patch --note x", "assign KEY clips/draught.wav")
KEYS = ("boat-foghorn-near", "stair-hail-wild")
FAMILIES = {"places": places, "names": names, "fields": fields, "options": options, "templates": templates,
            "packs": packs, "state": state, "full disk": full, "clips": clips, "killed": killed,
            "at once": at_once, "placing": placing}  # fmt: skip
SHARES = (8, 2, 4, 2, 1, 3, 2, 2, 3, 1, 1, 3)
SURELY_WHOLE = ("killed", "at once")  # after these, whatever happened, the last command must succeed


def outside(root: Path, run: str) -> str:
    """All that lies beside the folder of a case, as one digest."""
    lines = [
        f"{path} {path.lstat().st_mtime_ns}" for path in sorted(root.rglob("*")) if not path.is_relative_to(root / run)
    ]
    return hashlib.sha256("\n".join(lines).encode("utf-8", "surrogateescape")).hexdigest()


def program(words: list[str], here: Path, said: Path) -> NoReturn:
    """Be the program in this process, as nobody in particular; what it says goes into a file."""
    try:
        code = _program(words, here, said)
    except BaseException as fault:
        print(f"Traceback: {fault!r}", file=sys.stderr)
        code = 71
    with contextlib.suppress(OSError):
        sys.stdout.flush()
    os._exit(code)


def _program(words: list[str], here: Path, said: Path) -> int:
    if os.geteuid() == 0:
        for path in (here, *here.rglob("*")):
            with contextlib.suppress(FileNotFoundError):  # of another process that is at work here
                os.lchown(path, NOBODY, NOBODY)
        os.setgid(NOBODY)
        os.setuid(NOBODY)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    os.environ |= {"ICHNOS_DATA": str(here / "data"), "NO_COLOR": "1"}
    os.chdir(here)
    with contextlib.suppress(OSError):  # it may be no folder any more
        os.chdir(here / WORKSPACE)
    out = os.open(said, os.O_WRONLY)
    os.dup2(out, 1)
    os.dup2(out, 2)
    from ichnos.cli.main import main

    sys.argv = ["ichnos", *words]
    try:
        main()
    except SystemExit as stop:
        return int(stop.code or 0)
    return 0


def alone(words: list[str], here: Path, said: Path) -> int:
    """Run the program in a process of its own; its exit code, or -9 where it took too long."""
    child = os.fork()
    if not child:
        program(words, here, said)
    until = time.monotonic() + LIMIT
    while time.monotonic() < until:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return os.waitstatus_to_exitcode(status)
        time.sleep(0.01)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return -9


def attack(root: Path, name: str, cases: list[tuple[str, int]]) -> list[tuple[str, str, str]]:
    """Run cases; each family with what went wrong, if anything, and how to see it again."""
    results = []
    base, run, said = root / "base", root / name / "run", root / f"{name}.said"
    run.parent.mkdir()
    (run.parent / "canary").write_text("canary")
    for family, seed in cases:
        chance = random.Random(f"{family} {seed}")
        words, lay = FAMILIES[family](base, chance)
        shutil.copytree(base, run, symlinks=True)
        said.touch()
        said.chmod(0o666)
        limits = resource.getrlimit(resource.RLIMIT_FSIZE)
        before = ""
        try:
            if family != "full disk":
                with contextlib.suppress(OSError, IndexError, ValueError):
                    lay(run, chance)
            before = outside(run.parent, "run")
            child = os.fork()
            if not child:
                if family == "full disk":
                    lay(run, chance)
                os._exit(alone(words, run, said) & 0xFF)
            code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        finally:
            resource.setrlimit(resource.RLIMIT_FSIZE, limits)
        text = said.read_bytes().decode("utf-8", "replace")
        said.unlink()
        wrong = ""
        if code == 247:
            wrong = "hangs"
        elif code in (70, 71) or "Traceback" in text or "Exception ignored" in text:
            wrong = "tracebacks"
        elif code not in ((0,) if family in SURELY_WHOLE else (0, 1, 2, 130)):
            wrong = "wrong codes"
        elif any((ord(letter) < 32 and letter not in "\n\t\r") or 0x7F <= ord(letter) < 0xA0 for letter in text):
            wrong = "raw signs"
        if outside(run.parent, "run") != before and before:
            wrong = "writes outside"
        results.append(
            (
                family,
                wrong,
                f"--family '{family}' --only {seed}: {' '.join(words)[:150]!r}: {code}: {text[-400:]}" if wrong else "",
            )
        )
        for path in (run, *run.rglob("*")):
            if not path.is_symlink() and path.is_dir():
                path.chmod(0o700)
        shutil.rmtree(run)
    return results


def main() -> int:
    """Attack, and print the table."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--cases", type=int, default=5000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--family", choices=FAMILIES)
    parser.add_argument("--only", type=int, help="the one case of a family with this number")
    wanted = parser.parse_args()
    chosen = (
        [wanted.family] if wanted.family else random.Random(wanted.seed).choices(list(FAMILIES), SHARES, k=wanted.cases)
    )
    cases = [
        (family, wanted.seed * 1_000_000 + number)
        for number, family in enumerate(chosen * (wanted.cases if wanted.family else 1))
    ]
    if wanted.only is not None:
        cases = [(wanted.family or "places", wanted.only)]
    root = Path(tempfile.mkdtemp(prefix="ichnos-attack-"))
    root.chmod(0o755)
    os.environ |= {"ICHNOS_DATA": str(root / "base/data"), "OPENBLAS_NUM_THREADS": "1"}  # no threads where we fork
    _lay(root / "base")
    _warm(root / "base", root / "warm")
    workers = os.cpu_count() or 1
    started, pipes = time.monotonic(), []
    for number in range(workers):
        read, write = os.pipe()
        child = os.fork()
        if not child:
            os.write(write, json.dumps(attack(root, f"worker-{number}", cases[number::workers])).encode())
            os._exit(0)
        os.close(write)
        pipes.append((child, read))
    results = []
    for child, read in pipes:
        with os.fdopen(read, "rb") as pipe:
            results += json.loads(pipe.read() or b"[]")
        os.waitpid(child, 0)
    shutil.rmtree(root, ignore_errors=True)
    kinds = ("tracebacks", "writes outside", "hangs", "wrong codes", "raw signs")
    print(f"{'family':<12}{'cases':>8}" + "".join(f"{kind:>16}" for kind in kinds))
    for family in FAMILIES:
        wrong = Counter(kind for name, kind, _ in results if name == family)
        print(f"{family:<12}{sum(wrong.values()):>8}" + "".join(f"{wrong[kind]:>16}" for kind in kinds))
    print(f"{len(results)} cases in {time.monotonic() - started:.0f} s")
    for _, _, how in results:
        if how:
            print(how)
    return int(any(kind for _, kind, _ in results))


def _lay(base: Path) -> None:
    """The demonstration's folder, built, with its profile beside it as if it were a stranger's."""
    from ichnos.cli.main import main as program
    from ichnos.games import made_up
    from ichnos.games.profiles import profile

    base.mkdir()
    sample = made_up.sample_of(profile.BUNDLED / "tarnlight")
    assert sample
    made_up.lay_installation(sample, base / "Tarnlight")
    made_up.lay_clips(sample, base / WORKSPACE)
    shutil.copytree(profile.BUNDLED / "tarnlight", base / "game")
    for step in sample.steps:
        os.chdir(base / step.folder)
        sys.argv = ["ichnos", *step.command]
        with (
            contextlib.redirect_stdout(io.StringIO()),
            contextlib.redirect_stderr(io.StringIO()),
            contextlib.suppress(SystemExit),
        ):
            program()
    file = base / WORKSPACE / "ichnos.toml"
    file.write_text(file.read_text("utf-8").replace('game = "tarnlight"', 'game = "../game"'), "utf-8")
    os.chdir(base / WORKSPACE)
    sys.argv = ["ichnos", "build"]
    with contextlib.redirect_stdout(io.StringIO()), contextlib.suppress(SystemExit):
        program()


def _warm(base: Path, here: Path) -> None:
    """Each kind of command once, so that no case spends its time on loading what all need."""
    from anyascii import anyascii

    from ichnos.cli.main import main as program

    b"\xfc".decode("cp1252")
    anyascii("ü")  # which loads what nobody in particular may not read where Python lies in somebody's home
    shutil.copytree(base, here, symlinks=True)
    os.chdir(here / WORKSPACE)
    drawn = "treat clips/draught.wav --pitch 2 --to drawn --picture p.png"
    for words in (*COMMANDS, drawn, "assign stair-hail-wild clips/draught.wav"):
        sys.argv = ["ichnos", *words.split()]
        with (
            contextlib.redirect_stdout(io.StringIO()),
            contextlib.redirect_stderr(io.StringIO()),
            contextlib.suppress(SystemExit),
        ):
            program()
    os.chdir("/")
    shutil.rmtree(here)


if __name__ == "__main__":
    sys.exit(main())
