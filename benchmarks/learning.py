"""How much of a game is learned from packs for it: ten made-up games, from one pack each and from two.

    python benchmarks/learning.py [GAME ...] [--keep FOLDER]

For each game two packs are built. Of the first, or of both, a profile is learned without the game's own, and without
a question; the first workspace is built again through that draft, and held against the first build: of the values in
its documents so many are the same, and so many sound files are at the same paths.
"""

from __future__ import annotations

import argparse
import json
import os
import re
import shutil
import sys
import tempfile
import zipfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import ten_games
from conftest import run
from ichnos.documents.formats import format_of, named, parse
from ichnos.documents.values import not_again, values
from ichnos.errors import IchnosError


def build(folder: Path) -> Path:
    done = run("build", "--json", cwd=folder)
    if done.code:
        raise SystemExit(f"{folder}: {done.err}")
    return Path(json.loads(done.out)["to"])


def contents(package: Path) -> dict[str, bytes]:
    """The files of a pack."""
    if package.is_file():
        with zipfile.ZipFile(package) as archive:
            return {name: archive.read(name) for name in archive.namelist()}
    return {path.relative_to(package).as_posix(): path.read_bytes() for path in package.rglob("*") if path.is_file()}


def said(name: str, data: bytes, formats: dict[str, str]) -> list:
    """All values of a document, or, of a script, its lines."""
    kind = format_of(name) or (named(formats[name]) if name in formats else None)
    if kind is None:
        return data.decode("utf-8", "replace").splitlines()
    return list(values(parse(data, name, kind)))


def formats_of(profile: Path, names: list[str]) -> dict[str, str]:
    """The formats of documents whose names do not say them, by the game's own profile."""
    from ichnos.games.profiles import loading, places

    found = loading.load(places.find(str(profile)))
    return {
        name: found.document_rules(one).format or one.document.format.name.lower()
        for name in names
        for one in found.documents
        if one.path.match(name) is not None
    }


def same(before: dict[str, bytes], after: dict[str, bytes], formats: dict[str, str]) -> tuple[int, int, list[str]]:
    """How many values of documents are alike, of how many; and what is not."""
    good = total = 0
    odd = []
    for name in sorted({*before, *after}):
        if name.lower().endswith((".ogg", ".wav", ".flac", ".png")) or name.startswith("CREDITS"):
            continue
        one = said(name, before[name], formats) if name in before else []
        other = said(name, after[name], formats) if name in after else []
        if (one and isinstance(one[0], str)) or (other and isinstance(other[0], str)):
            lost = [line for line in one if line not in other]
        else:
            lost = not_again(one, other)
        good += len(one) - len(lost)
        total += max(len(one), len(other))
        odd += [f"{name}: {each}" for each in lost]
    return good, total, odd


def learn(laid: ten_games.Laid, packs: list[Path], first: Path, folder: Path) -> dict:
    """A draft from packs, and what of the first workspace is the same through it."""
    before = contents(first)
    words = ["--installation", str(laid.installation)] if laid.installation else []
    learned = run("learn", *packs, "--to", folder / "draft", "--json", *words)
    if learned.code not in (0, 1):
        return {"error": learned.err.strip()}
    again = folder / "again"
    shutil.copytree(laid.workspaces[0], again, ignore=shutil.ignore_patterns(".ichnos", "build"))
    file = again / "ichnos.toml"
    text = re.sub(r'^game = ".*"', f'game = "{folder / "draft"}"', file.read_text(), count=1, flags=re.M)
    if laid.installation:
        text = re.sub(r'^installation = ".*"', f'installation = "{laid.installation}"', text, count=1, flags=re.M)
    version = json.loads(run("games", "show", folder / "draft", "--json").out)["game"]["versions"]
    if "unknown" in version:  # nothing in the packs says it
        text = re.sub(r'^game-version = ".*"', 'game-version = "unknown"', text, count=1, flags=re.M)
    file.write_text(with_ids(text, folder / "draft"))
    built = run("build", "--json", cwd=again)
    if built.code:
        return {"error": built.err.strip()}
    after = contents(Path(json.loads(built.out)["to"]))
    good, total, odd = same(before, after, formats_of(Path(laid.profile), list({*before, *after})))
    sounds = {name for name in before if name.lower().endswith((".ogg", ".wav", ".flac"))}
    placed = len(sounds & set(after))
    proof = json.loads(learned.out)["proof"]
    return {"good": good, "total": total, "odd": odd, "sounds": len(sounds), "placed": placed, "proof": proof}


def with_ids(text: str, draft: Path) -> str:
    """The workspace's ids under the names that the draft has for them, in their order."""
    from ichnos.games.profiles import loading

    wanted = loading.load(draft).id_names
    own = re.findall(r'^([a-z]+) = "([0-9a-f-]{36})"', text, re.M)
    for (old, value), new in zip(sorted(own), sorted(wanted), strict=False):
        text = text.replace(f'{old} = "{value}"', f'{new} = "{value}"')
    return text


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("games", nargs="*", metavar="GAME")
    parser.add_argument("--keep", type=Path, metavar="FOLDER")
    parser.add_argument("--odd", action="store_true", help="show what is not the same")
    given = parser.parse_args()
    root = given.keep or Path(tempfile.mkdtemp())
    os.environ["ICHNOS_DATA"] = str(root / "data")
    print("| game | packs | values the same | sound files in their places | by its own proof |")
    print("|---|---|---|---|---|")
    passed = {1: 0, 2: 0}
    for game in ten_games.GAMES:
        if given.games and game.name not in given.games:
            continue
        shutil.rmtree(root / game.name, ignore_errors=True)
        laid = ten_games.lay(game, root / game.name)
        packs = [build(folder) for folder in laid.workspaces]
        for count in (1, 2):
            found = learn(laid, packs[:count], packs[0], root / game.name / f"from-{count}")
            if "error" in found:
                print(f"| {game.name} | {count} | - | - | {found['error'][:300]} |")
                continue
            share = found["good"] / max(1, found["total"])
            passed[count] += share >= 0.9 and found["placed"] == found["sounds"]
            proof = f"{found['proof']['back']} of {found['proof']['values']}"
            placed = f"{found['placed']} of {found['sounds']}"
            print(f"| {game.name} | {count} | {found['good']} of {found['total']} ({share:.0%}) | {placed} | {proof} |")
            for one in found["odd"] if given.odd else ():
                print("    ", one)
    print(f"\nNine of ten values and all places: {passed[1]} games from one pack, {passed[2]} from two.")
    if not given.keep:
        shutil.rmtree(root)


if __name__ == "__main__":
    with __import__("contextlib").suppress(IchnosError):
        main()
