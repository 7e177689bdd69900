"""Pictures of a rehearsal: the timeline, a lane for each key; and what was picked against what was to be expected."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import IO, Any

from ichnos.audio.drawing import ALARM, FAINT, INK, OTHER, SOUND, head, new_figure, plain_axes, save
from ichnos.files.paths import plain
from ichnos.play.acting import Voice
from ichnos.play.mixing import level
from ichnos.play.rehearsing import Rehearsal
from ichnos.play.scene import distance_at
from ichnos.play.statistics import Share

_MOST_LANES = 60
_MOST_EVENTS = 14  # that are called by their names
_SMALLEST, _LARGEST = 5.5, 9.0  # points
_STEPS = 48  # moments at which the level of a sound is looked at
_NOTHING = 1e-3  # of full level: it cannot be heard
_LETTERS = 1500  # of one point that go into a line


def draw_timeline(done: Rehearsal, title: str, to: Path | IO[bytes]) -> None:
    """A lane for each key: what plays when, how loud, from which take; what happened stands above."""
    played, rate = done.played, done.played.rate
    keys = list(dict.fromkeys(voice.key for voice in played.voices))
    shown, hidden = keys[:_MOST_LANES], max(0, len(keys) - _MOST_LANES)
    lanes = {key: number for number, key in enumerate(shown)}
    size = max(_SMALLEST, min(_LARGEST, 330 / max(1, len(shown))))
    height = min(0.78, 0.3 + 0.02 * len(shown))
    figure = new_figure()
    said = f", {done.loudness:.1f} LUFS, true peak {done.true_peak:.1f} dBTP" if done.loudness is not None else ""
    head(figure, f"{title}: {done.scene.seconds:g} s{said}")
    axes = figure.subplots()
    more = f" (the first {_MOST_LANES} of {len(keys)} keys)" if hidden else ""
    plain_axes(axes, f"what plays when{more}; a bar is as high as it is loud at the listener's place")
    for voice in played.voices:
        if voice.key in lanes and voice.end > voice.start:
            _bar(axes, voice, lanes[voice.key], done, size, height)
    for mark in played.marks:
        if mark.trigger and mark.key in lanes:
            axes.plot(
                mark.at / rate,
                lanes[mark.key] - height / 2 - 0.08,
                marker="v",
                markersize=size * 0.6,
                color=INK,
                zorder=4,
            )
    _events(axes, done)
    axes.set_ylim(max(0.6, len(shown) - 0.4), -0.9)
    axes.set_xlim(0, done.scene.seconds)
    axes.set_yticks(range(len(shown)), [plain(key) for key in shown], fontsize=size, parse_math=False)
    axes.set_xlabel("seconds", fontsize=8, color=INK)
    axes.grid(visible=False, axis="y")
    _legend(axes, played.voices, any(mark.trigger for mark in played.marks))
    save(figure, to)


def _bar(axes: Any, voice: Voice, lane: int, done: Rehearsal, size: float, height: float) -> None:
    """A sound: as high as it is loud at each moment, with its take, and how far away it is."""
    rate, scene = done.played.rate, done.scene
    start, end = voice.start / rate, voice.end / rate
    colour = OTHER if voice.kind == "interlude" else SOUND
    moments = [start + (end - start) * step / _STEPS for step in range(_STEPS + 1)]
    away = [distance_at(scene, voice.thing, moment) for moment in moments]
    loud = [min(1.0, voice.gain * level(one, voice.near, voice.far, done.curve)) for one in away]
    if max(loud) < _NOTHING:
        axes.barh(lane, end - start, left=start, height=height, facecolor="none", edgecolor=FAINT, hatch="////")
        return
    half = [height / 2 * (0.15 + 0.85 * one) for one in loud]
    low, high = [lane - one for one in half], [lane + one for one in half]
    axes.fill_between(moments, low, high, color=colour, linewidth=0, zorder=2)
    if voice.cut:
        axes.plot([end, end], [lane - 0.42, lane + 0.42], color=ALARM, linewidth=2, zorder=3)
    text = voice.what.removeprefix("take ")
    room = (end - start) / scene.seconds * _LETTERS / size
    if text and room > len(text) + 1:
        axes.text(
            start + scene.seconds * 0.003, lane, plain(text), fontsize=size * 0.85, color="white", va="center",
            parse_math=False, clip_on=True, zorder=3,
        )  # fmt: skip
    if voice.thing and size > _SMALLEST:
        said = f"{plain(voice.thing)}, {away[0]:.0f} m" + (
            f" to {away[-1]:.0f} m" if round(away[0]) != round(away[-1]) else ""
        )
        axes.text(
            start, lane + height / 2 + 0.02, said, fontsize=size * 0.8, color=INK, va="top", parse_math=False,
            clip_on=True, zorder=3,
        )  # fmt: skip


def _events(axes: Any, done: Rehearsal) -> None:
    """What happened, as lines over all lanes."""
    marks = [mark for mark in done.played.marks if not mark.trigger]
    for number, mark in enumerate(marks):
        at = mark.at / done.played.rate
        axes.axvline(at, color=FAINT, linewidth=0.7, linestyle=":", zorder=1)
        if len(marks) <= _MOST_EVENTS:
            axes.text(
                at, 1.005 + 0.022 * (number % 2), plain(mark.text), fontsize=6.5, color=INK, rotation=0,
                transform=axes.get_xaxis_transform(), parse_math=False, clip_on=False,
            )  # fmt: skip


def _legend(axes: Any, voices: Sequence[Voice], triggers: bool) -> None:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    kinds = {voice.kind for voice in voices}
    handles: list[Any] = [Patch(color=SOUND, label="main" if kinds & {"main", "interlude"} else "sound")]
    if "interlude" in kinds:
        handles.append(Patch(color=OTHER, label="interlude"))
    if triggers:
        handles.append(Line2D([], [], color=INK, marker="v", linestyle="", markersize=5, label="trigger"))
    if any(voice.cut for voice in voices):
        handles.append(Line2D([], [], color=ALARM, linewidth=2, label="cut off"))
    axes.legend(
        handles=handles, loc="lower right", bbox_to_anchor=(1, 1.045), ncols=len(handles), fontsize=8, frameon=False
    )


def draw_shares(tables: Sequence[tuple[str, Sequence[Share]]], title: str, to: Path | IO[bytes]) -> None:
    """What was picked how often, beside what was to be expected."""
    figure = new_figure()
    head(figure, title)
    columns = min(3, len(tables))
    rows = -(-len(tables) // columns)
    grid = figure.subplots(rows, columns, squeeze=False)
    for axes, (name, shares) in zip(grid.flat, tables, strict=False):
        plain_axes(axes, name)
        at = range(len(shares))
        axes.barh([one - 0.2 for one in at], [100 * one.found for one in shares], height=0.36, color=SOUND)
        axes.barh([one + 0.2 for one in at], [100 * (one.expected or 0) for one in shares], height=0.36, color=FAINT)
        axes.set_yticks(list(at), [plain(one.name) for one in shares], fontsize=8, parse_math=False)
        axes.invert_yaxis()
        axes.set_xlabel("per cent: picked, and below it in grey expected", fontsize=8, color=INK)
    for axes in list(grid.flat)[len(tables) :]:
        axes.set_visible(False)
    save(figure, to)
