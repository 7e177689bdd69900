"""What a profile says of the forms of a game's sounds: one, several, or any."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import BeforeValidator, Field, TypeAdapter, ValidationError, model_validator

from ichnos.audio.files.forms import CODECS, OPUS_RATES, RATES, Codec, Container
from ichnos.documents.checked import TomlTable


def _one_or_more(kind: Any, what: str) -> BeforeValidator:
    """Checks a value, a list of values, or "any", with one message for what is none of them."""
    values = TypeAdapter(Annotated[tuple[kind, ...], Field(min_length=1)])

    def check(given: Any) -> Any:
        try:
            several = (
                ("any",) if given == "any" else values.validate_python(given if isinstance(given, list) else [given])
            )
        except ValidationError:
            raise ValueError(f'{what}, a list of such, or "any" is expected') from None
        return several if isinstance(given, list) else several[0]

    return BeforeValidator(check)


_Rate = Annotated[int, Field(ge=RATES.start, lt=RATES.stop)]
_Channels = Literal[1, 2]
Codecs = Annotated[
    Codec | tuple[Codec, ...] | Literal["any"], _one_or_more(Codec, f"one of {', '.join(get_args(Codec))}")
]
Rates = Annotated[
    _Rate | tuple[_Rate, ...] | Literal["any"],
    _one_or_more(_Rate, f"a whole number from {RATES.start} to {RATES.stop - 1}"),
]
Channels = Annotated[_Channels | tuple[_Channels, ...] | Literal["any"], _one_or_more(_Channels, "1 or 2")]


class AudioRules(TomlTable):
    container: Container = Field(description="what the game's sound files are: Ogg, WAV or FLAC")
    codec: Codecs = Field(
        description="how sound is coded in them: Ogg holds Vorbis or Opus, the others PCM; a list where the game plays"
        ' several, and "any" where it plays all that the container holds: clips are coded as the first'
    )
    rate: Rates = Field(
        description='the sample rate, in Hz; a list of those that the game plays, or "any": a clip that has one of'
        " these keeps it, others get the first (of any: 44100, for Opus 48000)"
    )
    channels: Channels = Field(
        description="1 is mono, as for anything at a place in the world; 2 is stereo; a list of both, or"
        ' "any": a clip keeps its own'
    )
    like: Literal["replaced"] | None = Field(
        default=None,
        description='"replaced": what takes the place of a sound of the game has the form of that file, where it can be'
        " read; codec, rate and channels are then those of all others",
    )
    extensions: tuple[Annotated[str, Field(pattern=r"^\.[a-z0-9]+$")], ...] = Field(
        default=(),
        examples=[[".oga"]],
        description="other extensions of the game's sound files; the empty file in tree/ has the one that packs use",
    )
    quality: float = Field(default=5.0, ge=0, le=10, description="of Vorbis and Opus: 0 is small, 10 is large")

    @model_validator(mode="after")
    def _go_together(self) -> AudioRules:
        need_to_go_together(self.container, self.codec, self.rate)
        return self


def need_to_go_together(container: str, codecs: Codecs, rates: Rates) -> None:
    """Raises ValueError where such a container cannot hold such sound."""
    for codec in every(codecs) or ():
        if codec not in CODECS[container]:
            raise ValueError(f"{container} holds {' or '.join(CODECS[container])}, not {codec}")
    odd = [rate for rate in every(rates) or () if rate not in OPUS_RATES]
    if every(codecs) == ("Opus",) and odd:
        raise ValueError(f"Opus has a rate of {', '.join(map(str, OPUS_RATES))}, not {odd[0]}")


def every(value: Any) -> tuple[Any, ...] | None:
    """All that a rule accepts, the first before the others; ``None`` where that is anything."""
    if value == "any":
        return None
    return value if isinstance(value, tuple) else (value,)
