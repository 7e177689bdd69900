"""``play``: one key, as the game plays it."""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path
from typing import Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Json, Overwrite, WorkspaceFolder, app, examples
from ichnos.cli.rehearsing import Game, Installation, Packs, Seed, as_json_of, level_of, log_of, refuse_there, world_of
from ichnos.errors import IchnosError, UsageError

To = Annotated[Path | None, typer.Option(metavar="FILE.wav", help="Write it.", show_default="the loudspeaker")]


@app.command(
    short_help="Play one key as the game would.",
    epilog=examples("ichnos play tower-bell-near --times 3 --to bells.wav", "ichnos play shore-foghorn-distant --far"),
)
def play(
    key: Annotated[str, typer.Argument(metavar="KEY", help="A sound key, of the pack or the game.")],
    near: Annotated[bool, typer.Option("--near", help="From as near as it is at full level.")] = False,
    far: Annotated[bool, typer.Option("--far", help="From half-way to where it is not heard any more.")] = False,
    times: Annotated[int, typer.Option(metavar="N", help="How often; a loop goes round as often.")] = 1,
    to: To = None,
    packs: Packs = None,
    game: Game = None,
    installation: Installation = None,
    seed: Seed = 1,
    overwrite: Overwrite = False,
    workspace: WorkspaceFolder = Path(),
    json: Json = False,
) -> None:
    """Play one key of a built pack as the game would: through the loudspeaker, or into a WAV."""
    from ichnos.files import scratch
    from ichnos.files.writing import fresh
    from ichnos.play import rehearsing
    from ichnos.play.decoding import samples_of
    from ichnos.play.world import refuse_unknown

    if near and far:
        raise UsageError("--near and --far exclude each other", cure="choose one")
    if not 0 < times <= _MOST_TIMES:
        raise UsageError(f"--times {times}: 1 to {_MOST_TIMES:,} are meant", cure="say another number")
    refuse_there(to, overwrite=overwrite)
    device = None if to is not None else _loudspeaker()
    with ExitStack() as stack:
        world = world_of(stack, packs, game, installation, workspace)
        sound = refuse_unknown(world, key)
        away = sound.near if near else (sound.near + sound.far) / 2 if far else None
        with fresh(to) if to is not None else scratch.throwaway() as place:
            beside = place if to is not None else place / "it.wav"
            done = rehearsing.one_key(world, key, times, seed, away=away, to=beside)
            if device is not None:
                device.play(*samples_of(beside), blocking=True)
    for note in done.notes:
        show.say(f"Note: {note}.", err=True)
    if json:
        show.as_json(as_json_of(world, done, to, None))
        return
    for line in log_of(world, done):
        show.say(line)
    if to is not None:
        show.say(f"{to}: {level_of(done)}")


_MOST_TIMES = 1000


def _loudspeaker() -> Any:
    """What plays sound here. Raises IchnosError where nothing does."""
    try:
        import sounddevice
    except (ImportError, OSError) as error:
        missing = isinstance(error, ModuleNotFoundError)
        what = "nothing that plays sound is installed" if missing else f"this computer's sound cannot be used ({error})"
        raise IchnosError(
            what, cure='pip install "ichnos[loudspeaker]", or write it into a file: --to FILE.wav'
        ) from None
    try:
        sounddevice.query_devices(kind="output")
    except (sounddevice.PortAudioError, ValueError) as error:
        what = f"this computer has no loudspeaker that can be used ({error})"
        raise IchnosError(what, cure="write it into a file: --to FILE.wav") from None
    return sounddevice
