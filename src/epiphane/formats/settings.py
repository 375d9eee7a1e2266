"""How a film is to be written: format, quality, size, loudness; by hand, or by a preset for a purpose."""

from fractions import Fraction
from pathlib import Path
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct
from msgspec.structs import replace

from epiphane.formats.declare import USUAL, Coding, Format, QualityWord, format_for
from epiphane.types import Size
from epiphane.wording import tr

_Name: TypeAlias = Annotated[str, Meta(max_length=60)]
_Side: TypeAlias = Annotated[int, Meta(ge=2, le=16_384)]


class ExportSettings(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a film is to be written.

    `quality` is a word, or the number of the encoder. Without `size` or `rate` they are those of the
    project, without `bits` those that the format usually has. The sound is brought to a `loudness`, LUFS, or
    left as it is, or left out of a film that `is_silent`. One that `is_clear` has titles and overlays alone,
    over nothing. The `poster` is the instant, seconds, of the picture that stands for the film.
    """

    format: _Name = USUAL
    quality: QualityWord | Annotated[float, Meta(ge=0, le=1000)] = QualityWord.FINE
    bits: Annotated[int, Meta(ge=8, le=32)] | None = None
    size: tuple[_Side, _Side] | None = None
    rate: Fraction | None = None
    loudness: Annotated[float, Meta(ge=-36, le=-6)] | None = None
    is_silent: bool = False
    is_clear: bool = False
    has_chapters: bool = False
    poster: Annotated[float, Meta(ge=0)] | None = None

    def of_format(self) -> Format:
        """Return the format; ParameterError if this version does not know it."""
        return format_for(Path(), self.format)

    def coding(self) -> Coding:
        """Return how the format is to code; ParameterError if it cannot do so."""
        return self.of_format().coding(self.quality, self.bits, has_alpha=self.is_clear)


USUAL_SETTINGS = ExportSettings()


class ExportPreset(Struct, frozen=True, forbid_unknown_fields=True):
    """Settings by the name of a purpose; `width` stands for a size where only how wide it is matters."""

    name: Annotated[str, Meta(min_length=1, max_length=60)]
    settings: ExportSettings
    width: Annotated[int, Meta(ge=16, le=16_384)] | None = None

    def settings_for(self, size: Size) -> ExportSettings:
        """Return the settings for a project of a size: no wider than the preset says, in its proportions."""
        if self.width is None or self.width >= size[0]:
            return self.settings
        height = max(2, round(self.width * size[1] / size[0] / 2) * 2)
        return replace(self.settings, size=(self.width, height))


def shipped_presets() -> tuple[ExportPreset, ...]:
    """Return the presets that everybody has."""
    return (
        ExportPreset(tr("To show anywhere"), ExportSettings(loudness=-14.0)),
        ExportPreset(tr("Small, to send"), ExportSettings(quality=QualityWord.SMALL, loudness=-14.0), 1280),
        ExportPreset(tr("For a web page"), ExportSettings("av1-webm", QualityWord.GOOD, loudness=-14.0)),
        ExportPreset(tr("For a broadcast"), ExportSettings("dnxhr", loudness=-23.0)),
        ExportPreset(tr("To go on working with"), ExportSettings("prores-422")),
        ExportPreset(tr("Titles over nothing"), ExportSettings("prores-4444", is_clear=True)),
        ExportPreset(tr("To keep, nothing lost"), ExportSettings("ffv1")),
        ExportPreset(tr("For compositing"), ExportSettings("exr-sequence")),
        ExportPreset(tr("Moves in a message"), ExportSettings("gif", rate=Fraction(25)), 480),
        ExportPreset(tr("Sound alone"), ExportSettings("wav")),
    )
