"""``rehearse`` and ``play``: built packs in the stand-in game."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack, nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Json, Overwrite, WorkspaceFolder, app, examples
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.play.rehearsing import Rehearsal
    from ichnos.play.statistics import ScheduleCount, Share
    from ichnos.play.world import World

Packs = Annotated[
    list[Path] | None,
    typer.Option(
        "--pack", "-p", metavar="PACK", help="A pack, built; say it once for each, in load order.",
        show_default="the one built last",
    ),
]  # fmt: skip
Game = Annotated[str | None, typer.Option("--game", "-g", metavar="GAME", help="The game; without a workspace.")]
Installation = Annotated[
    Path | None, typer.Option(metavar="FOLDER", help="Where the game is installed: its own sounds play, too.")
]
Seed = Annotated[int, typer.Option(metavar="N", help="Another one picks other takes; the same one the same.")]
_MOST_VOICES = 40  # of the log, without --log


Scene = Annotated[
    Path | None, typer.Argument(metavar="SCENE", help="A scene's file.", show_default="one made up from the pack")
]
Seconds = Annotated[float | None, typer.Option(metavar="N", help="How long, in place of what the scene says.")]
WriteScene = Annotated[
    Path | None, typer.Option(metavar="FILE.toml", help="Write the scene that is made up, to edit it, and stop.")
]
Statistics = Annotated[
    int | None, typer.Option(metavar="N", help="Play nothing: pick takes and schedules so often, and count.")
]


@app.command(
    short_help="Hear a built pack before the game starts.",
    epilog=examples(
        "ichnos rehearse --to storm.wav --picture storm.png",
        "ichnos rehearse --write-scene storm.toml",
        "ichnos rehearse storm.toml --pack build/storm-watch-0.1.0.lampbox --to storm.wav",
        "ichnos rehearse --statistics 1000",
    ),
)
def rehearse(
    scene: Scene = None,
    packs: Packs = None,
    game: Game = None,
    installation: Installation = None,
    seconds: Seconds = None,
    seed: Seed = 1,
    to: Annotated[Path | None, typer.Option(metavar="FILE.wav", help="Write the mix.")] = None,
    picture: Annotated[Path | None, typer.Option(metavar="FILE.png", help="Draw the timeline.")] = None,
    write_scene: WriteScene = None,
    statistics: Statistics = None,
    log: Annotated[bool, typer.Option("--log", help="Print all that plays, not the first of it.")] = False,
    overwrite: Overwrite = False,
    workspace: WorkspaceFolder = Path(),
    json: Json = False,
) -> None:
    """Play a built pack in a stand-in for the game: its triggers, props, schedules and scripts, near and far.

    Exit code 1: there are findings.
    """
    if seconds is not None and not 0 < seconds <= _DAY:
        what = f"--seconds {seconds:g}: more than 0 and at most {_DAY:,} are meant"
        raise UsageError(what, cure="say another number")
    if statistics is not None and not 0 < statistics <= _MOST_PICKS:
        raise UsageError(f"--statistics {statistics}: 1 to {_MOST_PICKS:,} are meant", cure="say another number")
    if statistics is not None and (scene or to or write_scene):
        raise UsageError("--statistics plays nothing", cure="leave out the scene, --to and --write-scene")
    if write_scene is not None and (scene or to or picture):
        raise UsageError("--write-scene plays nothing", cure="leave out the scene, --to and --picture")
    for path in (to, write_scene):
        refuse_there(path, overwrite=overwrite)
    with ExitStack() as stack:
        world = world_of(stack, packs, game, installation, workspace)
        for note in world.notes:
            show.say(f"Note: {note}.", err=True)
        if statistics is not None:
            _count(world, statistics, seed, picture, json=json)
            return
        if write_scene is not None:
            _write_scene(world, seed, write_scene)
            return
        done = _rehearsed(world, scene, seed, seconds, to)
        _tell(world, done, to, picture, whole=log, json=json)
    if done.findings:
        raise typer.Exit(1)


def _write_scene(world: World, seed: int, path: Path) -> None:
    from ichnos.files.writing import write_whole
    from ichnos.play import rehearsing
    from ichnos.play import scene as scenes

    made = rehearsing.made_scene(world, seed)
    write_whole(path, scenes.written(made).encode())
    show.say(f"{path} is written: {made.seconds:.0f} s, {show.counted(len(made.happening), 'happening')}.")


def _rehearsed(world: World, scene: Path | None, seed: int, seconds: float | None, to: Path | None) -> Rehearsal:
    from ichnos.files import disk
    from ichnos.files.writing import fresh
    from ichnos.play import rehearsing
    from ichnos.play import scene as scenes

    written = scenes.read(disk.read(scene, scene), str(scene)) if scene is not None else None
    folder = scene.absolute().parent if scene is not None else Path.cwd()
    total = seconds or (written.seconds if written else None)
    with show.progress("playing", total) as advance, fresh(to) if to is not None else nullcontext() as beside:
        return rehearsing.rehearse(world, written, seed, folder=folder, seconds=seconds, to=beside, on_progress=advance)


def _tell(world: World, done: Rehearsal, to: Path | None, picture: Path | None, *, whole: bool, json: bool) -> None:
    """Draw and print what came of a rehearsal."""
    if picture is not None:
        from ichnos.files.writing import fresh
        from ichnos.play.drawing import draw_timeline

        with fresh(picture) as beside:
            draw_timeline(done, ", ".join(world.packs), beside)
    for note in done.notes:
        show.say(f"Note: {note}.", err=True)
    if json:
        show.as_json(as_json_of(world, done, to, picture))
        return
    _print(world, done, whole=whole)
    if to is not None:
        show.say(f"{to}: the mix, {level_of(done)}")
    if picture is not None:
        show.say(f"{picture}: the timeline")


_DAY, _MOST_PICKS = 86_400, 10_000_000


def refuse_there(path: Path | None, *, overwrite: bool) -> None:
    from ichnos.files import disk

    if path is not None and disk.exists(path) and not overwrite:
        raise UsageError(f"{path} is there already", cure="say --overwrite, or choose another name")


def level_of(done: Rehearsal) -> str:
    if done.loudness is None or done.true_peak is None:
        return ""
    return f"{done.scene.seconds:.1f} s, {done.loudness:z.1f} LUFS, true peak {done.true_peak:z.1f} dBTP"


def world_of(
    stack: ExitStack, packs: list[Path] | None, game: str | None, installation: Path | None, workspace: Path
) -> World:
    """The stand-in game, loaded; what it holds open is let go of with the stack."""
    from ichnos.cli.checking import warn_if_behind
    from ichnos.games.catalogues import library
    from ichnos.games.opening import opened
    from ichnos.games.pristine import game_tree
    from ichnos.games.profiles import loading, places
    from ichnos.play import world as worlds
    from ichnos.review.context import last_built, workspace_at

    loaded = workspace_at(workspace, game, needed=not packs or game is None)
    if loaded is None and game is None:
        raise UsageError("which game is it for?", cure="say --game GAME, or go into a workspace")
    if loaded is None and not packs:
        raise UsageError("which pack is to be played?", cure="say --pack PACK, or go into a workspace")
    if loaded is not None and game in (None, loaded.game, loaded.pack_file.game, loaded.profile.rules.game.name):
        profile, catalogue, own = loaded.profile, loaded.catalogue, loaded.game_files()
    else:
        profile = loading.load(places.find(str(game)))
        catalogue, own = library.load(profile.identity), None
    if installation is not None:
        own = game_tree(installation, profile)
    paths = packs or []
    if loaded is not None and not paths:
        paths = [last_built(loaded)]
        warn_if_behind(loaded)
    given: list[tuple[str, Any]] = []
    for path in paths:
        files = opened(profile, path)
        stack.callback(files.close)
        name = path.stem if path.suffix else path.name
        given.append((name if name not in dict(given) else str(path), files))
    world = worlds.load(profile, given, own, catalogue)
    if own is None and profile.rules.catalogue.readable:
        world.notes.append("the game's own sounds do not play: say where it is installed (--installation FOLDER)")
    return world


def _print(world: World, done: Rehearsal, *, whole: bool) -> None:
    from ichnos.cli.checking import print_findings

    played = done.played
    lines = list(log_of(world, done))
    for line in lines if whole else lines[:_MOST_VOICES]:
        show.say(line)
    if not whole and len(lines) > _MOST_VOICES:
        show.say(f"... and {len(lines) - _MOST_VOICES} more: --log shows them all")
    heard = [voice for voice in played.voices if voice.end > voice.start]
    keys = len({voice.key for voice in heard})
    fired = sum(played.fired.values())
    show.say(
        f"{show.counted(len(heard), 'sound')} of {show.counted(keys, 'key')} in {done.scene.seconds:g} s"
        + (f", {show.counted(fired, 'trigger')} fired" if fired else "")
        + f": {show.counted(len(done.findings), 'finding') if done.findings else 'no findings'}",
        bold=True,
    )
    if done.stands_out:
        key, least = min(done.stands_out.items(), key=lambda item: item[1])
        how = f"by {least:z.1f} dB" if least >= 0 else f"it lies {-least:z.1f} dB under it"
        show.say(f"Over the bed, {key} stands out least: {how}.")
    if done.findings:
        print_findings(show.console(), done.findings)


def log_of(world: World, done: Rehearsal) -> list[str]:
    """What happened and what played, in the order of time."""
    from ichnos.play.rehearsing import whose

    played, rate = done.played, done.played.rate
    lines: list[tuple[int, int, str]] = [
        (mark.at, 0, f"{mark.at / rate:9.2f} s  -- {mark.text}") for mark in played.marks if not mark.trigger
    ]
    for voice in played.voices:
        level = done.shown.get(voice.number, 0.0) * voice.gain
        loud = f"{20 * _log10(level):+z.1f} dB" if level > 0 else "not heard"
        said = [voice.what, voice.kind, f"from {voice.thing}" if voice.thing else "", whose(world, voice.key)]
        about = ", ".join(filter(None, [*said, voice.cause if voice.cause != "scene" else ""]))
        cut = f"; cut off: {voice.cut}" if voice.cut else ""
        lasts = (voice.end - voice.start) / rate
        text = f"{voice.start / rate:9.2f} s  {voice.key}  {lasts:.2f} s, {loud}{f'  ({about})' if about else ''}{cut}"
        lines.append((voice.start, 1, text))
    return [text for _, _, text in sorted(lines, key=lambda line: line[:2])]


def _log10(value: float) -> float:
    import math

    return math.log10(value)


def as_json_of(world: World, done: Rehearsal, to: Path | None, picture: Path | None) -> dict[str, Any]:
    from ichnos.play.rehearsing import whose

    rate = done.played.rate
    return {
        "packs": world.packs,
        "seconds": done.scene.seconds,
        "rate": rate,
        "mix": to,
        "picture": picture,
        "loudness-lufs": done.loudness,
        "true-peak-dbtp": done.true_peak,
        "lowered": None if (low := done.lowered) is None else {
            "most-db": low.most_db, "first": low.first, "times": low.times
        },
        "notes": done.notes,
        "sounds": [
            {
                "key": voice.key, "what": voice.what, "from": voice.thing, "cause": voice.cause, "kind": voice.kind,
                "whose": whose(world, voice.key), "start": voice.start / rate, "end": voice.end / rate,
                "level": done.shown.get(voice.number, 0.0) * voice.gain, "cut-off": voice.cut or None,
                "files": [file.name for file, _ in voice.pieces],
            }
            for voice in done.played.voices
        ],
        "marks": [
            {"at": mark.at / rate, "text": mark.text, "key": mark.key, "trigger": mark.trigger}
            for mark in done.played.marks
        ],
        "stands-out-db": done.stands_out,
        "findings": done.findings,
    }  # fmt: skip


def _count(world: World, count: int, seed: int, picture: Path | None, *, json: bool) -> None:
    from ichnos.play import statistics as counting

    takes = [(sound.key, counting.of_takes(sound, count, seed)) for sound in world.own() if len(sound.takes) > 1]
    schedules = [
        (str(schedule.values.get("schedule.name")), counting.of_schedule(schedule, count, seed))
        for schedule in world.schedules
    ]
    if json:
        show.as_json(
            {
                "takes": dict(takes),
                "schedules": dict(schedules),
            }
        )
    else:
        for key, shares in takes:
            show.say(f"{key}, picked {count:,} times", bold=True)
            _print_shares(shares)
        for name, counts in schedules:
            show.say(f"schedule {name}, {count:,} entries", bold=True)
            _print_shares(counts.shares)
            _print_gaps(counts)
        if not takes and not schedules:
            show.say("Nothing is left to chance: each key has one take, and there is no schedule.")
    if picture is not None:
        from ichnos.files.writing import fresh
        from ichnos.play.drawing import draw_shares

        tables = [*takes, *((f"schedule {name}", found.shares) for name, found in schedules)]
        if not tables:
            raise UsageError("there is nothing to draw", cure="leave --picture out")
        with fresh(picture) as beside:
            draw_shares(tables[:_MOST_TABLES], f"{count:,} times each", beside)
        if len(tables) > _MOST_TABLES:
            show.say(f"Note: {picture} shows the first {_MOST_TABLES} of {len(tables)} tables.", err=True)


_MOST_TABLES = 12


def _print_shares(shares: Sequence[Share]) -> None:
    for share in shares:
        beside = "" if share.expected is None else f"  expected {100 * share.expected:5.1f} %"
        odd = "  further off than chance explains" if share.is_odd else ""
        show.say(f"  {100 * share.found:5.1f} %{beside}  {share.name}{odd}")


def _print_gaps(counts: ScheduleCount) -> None:
    if counts.gaps:
        gaps = ", ".join(f"{gap}: {times}" for gap, times in list(counts.gaps.items())[:12])
        show.say(f"  pieces between two in-betweens: {gaps}")
    if counts.mean_gap is not None:
        beside = f", expected {counts.expected_gap:.2f}" if counts.expected_gap is not None else ""
        show.say(f"  {counts.mean_gap:.2f} of them in the mean{beside}")
    show.say(f"  a piece twice in a row: {show.counted(counts.repeats, 'time')}")
