"""Pictures of a rehearsal: the timeline, a lane for each key; and what was picked against what was to be expected."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import IO, Any

from ichnos.audio.drawing import style
from ichnos.audio.drawing.style import FAULT, GRAPHITE, GREEN, INK, PENCIL, RULE, SMALL
from ichnos.files.paths import plain
from ichnos.play.acting import Mark, Voice
from ichnos.play.mixing import level
from ichnos.play.rehearsing import Rehearsal
from ichnos.play.scene import distance_at
from ichnos.play.statistics import Share

_MOST_LANES = 60
_ROWS, _EVENT_SIZE = 5, 7.0  # of what happened: rows of text, points
_SMALLEST, _LARGEST = 5.5, 9.0  # points
_STEPS = 48  # moments at which the level of a sound is looked at
_THINNEST = 600  # of the picture's width: the shortest sound is still seen
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
    level_said = (
        f", {done.loudness:z.1f} LUFS, true peak {done.true_peak:z.1f} dBTP" if done.loudness is not None else ""
    )
    with style.paper() as figure:
        style.head(figure, title, f"{done.scene.seconds:g} s{level_said}")
        happened = [mark for mark in played.marks if not mark.trigger]
        above, axes = figure.subplots(2, 1, sharex=True, height_ratios=[0.14 if happened else 0.01, 1])
        _happened(above, happened, done)
        more = f" (the first {_MOST_LANES} of {len(keys)} keys)" if hidden else ""
        style.name(axes, f"what plays when{more}; as high as it is loud where the listener is")
        for mark in happened:
            axes.axvline(mark.at / rate, color=GRAPHITE, linewidth=0.7, linestyle=":", zorder=1)
        starts = sorted((voice.start, voice.key) for voice in played.voices)
        for voice in played.voices:
            if voice.key in lanes and voice.end > voice.start:
                behind = next((at for at, key in starts if key == voice.key and at > voice.start), played.frames)
                _bar(axes, voice, lanes[voice.key], done, size, height, behind / rate)
        for mark in played.marks:
            if mark.trigger and mark.key in lanes:
                at = lanes[mark.key] - height / 2 - 0.08
                axes.plot(mark.at / rate, at, marker="v", markersize=size * 0.6, color=GREEN, zorder=4)
        axes.set_ylim(max(0.6, len(shown) - 0.4), -0.7)
        axes.set_xlim(0, done.scene.seconds)
        axes.set_yticks(range(len(shown)), [plain(key) for key in shown], fontsize=size)
        axes.set_xlabel("seconds")
        axes.grid(visible=False, axis="y")
        axes.grid(visible=True, axis="x", color=RULE)
        _legend(axes, played.voices, any(mark.trigger for mark in played.marks))
        style.save(figure, to)


def _happened(axes: Any, marks: Sequence[Mark], done: Rehearsal) -> None:
    """What happened, each at its moment, in as many rows as it takes for none to lie over another."""
    axes.set_axis_off()
    axes.set_ylim(_ROWS, 0)
    free = [0.0] * _ROWS  # up to where each row is taken
    for mark in marks:
        at = mark.at / done.played.rate
        width = (len(mark.text) + 2) * done.scene.seconds / _LETTERS * _EVENT_SIZE
        row = next((row for row in range(_ROWS) if free[row] <= at and at + width <= done.scene.seconds), None)
        if row is None:
            axes.plot(at, _ROWS - 0.1, marker="|", markersize=4, color=INK)
            continue
        free[row] = at + width
        axes.text(at, row + 0.5, f"| {plain(mark.text)}", fontsize=_EVENT_SIZE, color=INK, va="center")


def _bar(axes: Any, voice: Voice, lane: int, done: Rehearsal, size: float, height: float, behind: float) -> None:
    """A sound: as high as it is loud at each moment, with its take, and how far away it is."""
    rate, scene = done.played.rate, done.scene
    start = voice.start / rate
    end = max(voice.end / rate, start + scene.seconds / _THINNEST)
    colour = GRAPHITE if voice.kind == "between" else INK
    moments = [start + (end - start) * step / _STEPS for step in range(_STEPS + 1)]
    away = [distance_at(scene, voice.thing, moment) for moment in moments]
    loud = [min(1.0, voice.gain * level(one, voice.near, voice.far, done.curve)) for one in away]
    if max(loud) < _NOTHING:
        axes.barh(lane, end - start, left=start, height=height, facecolor="none", edgecolor=GRAPHITE, hatch="////")
        return
    half = [height / 2 * (0.15 + 0.85 * loudness) for loudness in loud]
    low, high = [lane - width for width in half], [lane + one for one in half]
    axes.fill_between(moments, low, high, color=colour, linewidth=0, zorder=2)
    if voice.cut:
        axes.plot([end, end], [lane - 0.42, lane + 0.42], color=FAULT, linewidth=2, zorder=3)
    text = voice.what.removeprefix("take ")
    room = (end - start) / scene.seconds * _LETTERS / size
    if text and room > len(text) + 1:
        axes.text(
            start + scene.seconds * 0.003, lane, plain(text), fontsize=size * 0.85, color="white", va="center",
            clip_on=True, zorder=3,
        )  # fmt: skip
    if voice.thing and size > _SMALLEST:
        far = f"{away[0]:.0f} m" + (f" to {away[-1]:.0f} m" if round(away[0]) != round(away[-1]) else "")
        thing = voice.thing if voice.thing.endswith(" m") else f"{voice.thing}, {far}"
        if (behind - start) / scene.seconds * _LETTERS / size > len(thing):
            axes.text(
                start, lane + height / 2 + 0.02, plain(thing), fontsize=size * 0.8, color=INK, va="top",
                clip_on=True, zorder=3,
            )  # fmt: skip


def _legend(axes: Any, voices: Sequence[Voice], triggers: bool) -> None:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    kinds = {voice.kind for voice in voices}
    handles: list[Any] = [Patch(color=INK, label="piece" if kinds & {"piece", "between"} else "sound")]
    if "between" in kinds:
        handles.append(Patch(color=GRAPHITE, label="between"))
    if triggers:
        handles.append(Line2D([], [], color=GREEN, marker="v", linestyle="", markersize=5, label="trigger"))
    if any(voice.cut for voice in voices):
        handles.append(Line2D([], [], color=FAULT, linewidth=2, label="cut off"))
    axes.legend(handles=handles, loc="lower right", bbox_to_anchor=(1, 1.0), ncols=len(handles))


def draw_shares(tables: Sequence[tuple[str, Sequence[Share]]], title: str, to: Path | IO[bytes]) -> None:
    """What was picked how often, beside what was to be expected."""
    with style.paper() as figure:
        style.head(figure, title, "per cent; below each in pencil, what was to be expected")
        columns = min(3, len(tables))
        rows = -(-len(tables) // columns)
        grid = figure.subplots(rows, columns, squeeze=False)
        for axes, (name, shares) in zip(grid.flat, tables, strict=False):
            style.name(axes, name)
            at = range(len(shares))
            found, expected = [100 * share.found for share in shares], [100 * (one.expected or 0) for one in shares]
            axes.barh([place - 0.2 for place in at], found, height=0.36, color=INK)
            axes.barh([place + 0.2 for place in at], expected, height=0.36, color=PENCIL)
            axes.set_yticks(list(at), [plain(share.name) for share in shares], fontsize=SMALL)
            axes.grid(visible=False, axis="y")
            axes.grid(visible=True, axis="x", color=RULE)
            axes.invert_yaxis()
            axes.set_xlabel("per cent")
        for axes in list(grid.flat)[len(tables) :]:
            axes.set_visible(False)
        style.save(figure, to)
