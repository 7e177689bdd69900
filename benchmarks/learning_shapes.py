"""How much is learned of packs that no profile of ours has built: six shapes made by hand, and packs for real systems.

    python benchmarks/learning_shapes.py

Of each shape there are two packs, of other keys. "Comes back": values of the packs that were learned from, read and
built again through the draft. "Constant": of those that come back, so many would stand in every pack. "The second
pack" is adopted through the draft and built again: so many of its values are the same.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from conftest import clip, run
from real_systems import SYSTEMS, missing, walk

KEYS = (
    ("gull_far", "bell_low", "rope_creak", "fog_near"),
    ("reed_rustle", "bell_low", "oar_dips", "pier_groans", "tide"),
)
Shape = Callable[[tuple[str, ...]], tuple[dict[str, str], dict[str, str]]]


def _yaml(keys: tuple[str, ...]) -> tuple[dict[str, str], dict[str, str]]:
    said = "".join(f"  {key}:\n    path: wav/{key}.wav\n    loud: 0.{at + 3}\n" for at, key in enumerate(keys))
    return {"noises.def": f"noises:\n{said}"}, {key: f"wav/{key}.wav" for key in keys}


def _lines(keys: tuple[str, ...]) -> tuple[dict[str, str], dict[str, str]]:
    said = "".join(f'audio "{key}.wav" oneshot {20 + at} {900 + 50 * at} /*{key[0]}*/\n' for at, key in enumerate(keys))
    return {"all.snd": f"# ours\n{said}"}, {key: f"wav/{key}.wav" for key in keys}


def _lua(keys: tuple[str, ...]) -> tuple[dict[str, str], dict[str, str]]:
    said = "".join(f'  {key} = {{ path = "wav/{key}.wav", loud = 0.{at + 3} }},\n' for at, key in enumerate(keys))
    return {"noises.lua": f"return {{\n{said}}}\n"}, {key: f"wav/{key}.wav" for key in keys}


def _owners(keys: tuple[str, ...]) -> tuple[dict[str, str], dict[str, str]]:
    said = {key: {"subtitle": f"wharf.{key}", "from": [f"wharf:{key.replace('_', '/')}"]} for key in keys}
    files = {key: f"stock/wharf/noises/{key.replace('_', '/')}.wav" for key in keys}
    return {"noises.json": json.dumps(said, indent=1)}, files


def _by_name(keys: tuple[str, ...]) -> tuple[dict[str, str], dict[str, str]]:
    said = "".join(f'<s file="{key}.wav" vol="{at + 2}"/>' for at, key in enumerate(keys))
    return {"n.xml": f"<all>{said}</all>"}, {key: f"sfx/{key}.wav" for key in keys}


def _headings(keys: tuple[str, ...]) -> tuple[dict[str, str], dict[str, str]]:
    said = "".join(f"{key},wav/{key}.wav,{0.25 * (at + 1)}\n" for at, key in enumerate(keys))
    return {"n.csv": f"id,file,loud\ntext,path,0..1\n{said}"}, {key: f"wav/{key}.wav" for key in keys}


SHAPES: dict[str, Shape] = {
    "YAML, under another extension": _yaml,
    "lines in no format": _lines,
    "a table in Lua": _lua,
    "references behind their owners": _owners,
    "the key is the file's name": _by_name,
    "two rows of headings": _headings,
}


def lay(shape: Shape, folder: Path, keys: tuple[str, ...]) -> Path:
    texts, files = shape(keys)
    for number, name in enumerate(files.values()):
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        clip(folder / name, number + 2)
    for name, text in texts.items():
        (folder / name).write_text(text)
    return folder


def learned(packs: list[Path], draft: Path, *words: str) -> dict:
    done = run("learn", *packs, "--to", draft, "--json", *words)
    proof = json.loads(done.out)["proof"] if done.code in (0, 1) else None
    return proof or {"back": 0, "values": 0, "constant": 0}


def lost(pack: Path, draft: Path, to: Path, *words: str) -> int | None:
    """How many of a pack's values do not come back in a workspace; None where it cannot be adopted."""
    done = run("adopt", pack, "--game", draft, "--to", to, "--json", *words)
    try:
        said = json.loads(done.out)
        return len(said["lost"]) + len(said["again"]["changes"] if said["again"] else [])
    except (ValueError, KeyError, TypeError):
        return None


def row(name: str, count: int, proof: dict, values: int, missed: int | None) -> bool:
    said = "is not adopted" if missed is None else f"{max(0, values - missed)} of {values}"
    print(f"| {name} | {count} | {proof['back']} of {proof['values']} | {proof['constant']} | {said} |")
    shares = [proof["back"] >= 0.9 * proof["values"] > 0, missed is not None and missed <= 0.1 * values]
    return all(shares)


def main() -> None:
    root = Path(tempfile.mkdtemp())
    os.environ["ICHNOS_DATA"] = str(root / "data")
    print("| shape | packs | comes back | constant | the second pack |\n|---|---|---|---|---|")
    good = 0
    for at, (name, shape) in enumerate(SHAPES.items()):
        folder = root / str(at)
        packs = [lay(shape, folder / f"pack-{number}", keys) for number, keys in enumerate(KEYS)]
        both = learned(packs, folder / "draft-2")
        one = learned(packs[:1], folder / "draft-1")
        values = both["values"] - one["values"]
        for count, proof in ((1, one), (2, both)):
            missed = lost(packs[1], folder / f"draft-{count}", folder / f"own-{count}")
            good += row(name, count, proof, values, missed)
    for system in SYSTEMS:
        if missing(system):
            print(f"| {system.name} | 1 | {missing(system)} | | |")
            continue
        (folder := root / system.name).mkdir()
        with contextlib.redirect_stdout(io.StringIO()):
            made = walk(system, folder)
        words = ("--installation", str(folder / "game")) if system.own else ()
        proof = learned([made.pack], root / f"draft-{system.name}", *words)
        missed = lost(made.pack, root / f"draft-{system.name}", root / f"own-{system.name}", *words)
        good += row(system.name, 1, proof, proof["values"], missed)
    print(f"\nNine of ten values: {good} of {2 * len(SHAPES) + len(SYSTEMS)}.")


if __name__ == "__main__":
    main()
