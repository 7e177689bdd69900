"""How much of a game is learned from packs for it: ten made-up games, from one pack each and from two.

    python benchmarks/learning.py [GAME ...] [--keep FOLDER]

For each game two packs are built. Of the first, or of both, a profile is learned without the game's own, and without
a question. "Comes back": the packs read and built again through the draft, by its own proof. Then both workspaces are
built through it, and held against their first builds: so many of the values in their documents are the same, and so
many sound files are at the same paths. The second workspace says how far what was learned from one pack goes.
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
from ichnos.documents.facts import difference, facts
from ichnos.documents.formats import format_of, named, parse
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
    return list(facts(parse(data, name, kind)))


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
            lost = [fact for fact, _ in difference(one, other) if fact is not None]
        good += len(one) - len(lost)
        total += max(len(one), len(other))
        odd += [f"{name}: {each}" for each in lost]
    return good, total, odd


def learn(laid: ten_games.Laid, packs: list[Path], folder: Path) -> dict:
    """A draft from packs, and its own proof."""
    words = ["--installation", str(laid.installation)] if laid.installation else []
    learned = run("learn", *packs, "--to", folder / "draft", "--json", *words)
    return {"error": learned.err.strip()} if learned.code not in (0, 1) else json.loads(learned.out)["proof"]


def again(laid: ten_games.Laid, number: int, built: Path, folder: Path) -> dict:
    """What of a workspace is the same when it is built through a draft."""
    own = folder / f"again-{number}"
    shutil.copytree(laid.workspaces[number], own, ignore=shutil.ignore_patterns(".ichnos", "build"))
    file = own / "ichnos.toml"
    text = re.sub(r'^game = ".*"', f'game = "{folder / "draft"}"', file.read_text(), count=1, flags=re.M)
    if laid.installation:
        (own / "ichnos.local.toml").write_text(f'installation = "{laid.installation}"\n')
    versions = json.loads(run("games", "show", folder / "draft", "--json").out)["game"]["versions"]
    said = re.search(r'^game-version = "(.*)"', text, flags=re.M)[1]
    if said not in versions:  # which whoever made the profile would have added, and a build asks for
        rules = folder / "draft/game.toml"
        rules.write_text(rules.read_text().replace("versions = [", f'versions = ["{said}", ', 1))
    file.write_text(with_ids(text, folder / "draft"))
    done = run("build", "--json", cwd=own)
    if done.code:
        return {"error": done.err.strip()}
    before, after = contents(built), contents(Path(json.loads(done.out)["to"]))
    good, total, odd = same(before, after, formats_of(Path(laid.profile), list({*before, *after})))
    sounds = {name for name in before if name.lower().endswith((".ogg", ".wav", ".flac"))}
    return {"good": good, "total": total, "odd": odd, "sounds": len(sounds), "placed": len(sounds & set(after))}


def with_ids(text: str, draft: Path) -> str:
    """The workspace's ids under the names that the draft has for them, in their order."""
    from ichnos.games.profiles import loading

    wanted = loading.load(draft).id_names
    own = re.findall(r'^([a-z]+) = "([0-9a-f-]{36})"', text, re.M)
    for (old, value), new in zip(sorted(own), sorted(wanted), strict=False):
        text = text.replace(f'{old} = "{value}"', f'{new} = "{value}"')
    return text


def share(one: dict) -> float:
    return one["good"] / one["total"] if one["total"] else 1.0


def shown(one: dict) -> str:
    return f"{one['good']} of {one['total']} ({share(one):.0%})" if one["total"] else "no documents"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("games", nargs="*", metavar="GAME")
    parser.add_argument("--keep", type=Path, metavar="FOLDER")
    parser.add_argument("--odd", action="store_true", help="show what is not the same")
    given = parser.parse_args()
    root = given.keep or Path(tempfile.mkdtemp())
    os.environ["ICHNOS_DATA"] = str(root / "data")
    print("| game | learned from | comes back | the first workspace | its sound files | the second workspace |")
    print("|---|---|---|---|---|---|")
    passed = {1: 0, 2: 0}
    for game in ten_games.GAMES:
        if given.games and game.name not in given.games:
            continue
        shutil.rmtree(root / game.name, ignore_errors=True)
        laid = ten_games.lay(game, root / game.name)
        packs = [build(folder) for folder in laid.workspaces]
        for count in (1, 2):
            folder = root / game.name / f"from-{count}"
            proof = learn(laid, packs[:count], folder)
            found = [proof] if "error" in proof else [again(laid, number, packs[number], folder) for number in (0, 1)]
            wrong = next((one["error"] for one in found if "error" in one), None)
            if wrong:
                print(f"| {game.name} | {count} | {wrong[:300]} |")
                continue
            passed[count] += share(found[0]) >= 0.9 and found[0]["placed"] == found[0]["sounds"]
            of = f"{count} pack{'s' if count > 1 else ''}"
            back, placed = f"{proof['back']} of {proof['values']}", f"{found[0]['placed']} of {found[0]['sounds']}"
            print(f"| {game.name} | {of} | {back} | {shown(found[0])} | {placed} | {shown(found[1])} |")
            for number, one in enumerate(found) if given.odd else ():
                print("".join(f"    {number}: {each}\n" for each in one["odd"]), end="")
    print(f"\nNine of ten values and all places: {passed[1]} games from one pack, {passed[2]} from two.")
    if not given.keep:
        shutil.rmtree(root)


if __name__ == "__main__":
    with __import__("contextlib").suppress(IchnosError):
        main()
