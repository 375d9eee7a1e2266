"""The rows of the export page that say how the film is written: purpose, format, quality, sound."""

from collections.abc import Callable

from msgspec import Struct
from msgspec.structs import replace

from epiphane.audio.loudness import Loudness
from epiphane.desk.bench.page import Options, Rows
from epiphane.desk.look import asking
from epiphane.desk.look.fields import button
from epiphane.document.project import Project
from epiphane.errors import DiskError
from epiphane.files.export_presets import PresetBook
from epiphane.formats.declare import FORMATS, FilmOutput, Format, QualityWord
from epiphane.formats.settings import ExportPreset, ExportSettings
from epiphane.timing import clock_text
from epiphane.wording import tr

_NUMBER = "number"
_TARGETS = (-14.0, -16.0, -23.0)


class ExportWanted(Struct, frozen=True):
    """What is to be exported: of which project, how, and how loud its mix is, where that is known."""

    project: Project
    settings: ExportSettings
    loudness: Loudness | None = None
    playhead: float = 0.0

    @property
    def form(self) -> Format:
        """The format."""
        return self.settings.of_format()


class SettingsRows(Rows[ExportWanted]):
    """Rows that show the settings of an export.

    Parameters
    ----------
    change : from other settings
    fault : from a sentence
        Tells what went wrong.
    """

    def __init__(
        self, change: Callable[[ExportSettings], object], fault: Callable[[str], object], book: PresetBook
    ) -> None:
        super().__init__(spacing=10)
        self._change, self._fault, self._book = change, fault, book
        self._wanted = ExportWanted(Project(), ExportSettings())
        self.shows(self._take)
        self._add_purpose()
        self._add_format()
        self._add_quality()
        self._add_sound()
        self._add_extras()

    def _take(self, wanted: ExportWanted) -> None:
        self._wanted = wanted

    def _with(self, **changes: object) -> None:
        self._change(replace(self._wanted.settings, **changes))

    # What it is for.

    def _add_purpose(self) -> None:
        chosen = self.choice(tr("Purpose"), self._purposes, self._purpose, self._choose_purpose)
        keep = button(tr("Keep…"), tr("Keep these settings under a name"), self._keep)
        remove = button(tr("Remove"), tr("Throw away this preset of yours"), self._remove)
        for one in (keep, remove):
            one.setProperty("quiet", True)
        self.seen(lambda _: self._own() is not None, remove)
        self.row(tr("Purpose"), chosen, keep, remove)

    def _purposes(self, _wanted: ExportWanted) -> Options:
        return [("", tr("as set below")), *((one.name, one.name) for one in self._book.all())]

    def _purpose(self, wanted: ExportWanted) -> str:
        size = wanted.project.width, wanted.project.height
        fitting = (one.name for one in self._book.all() if one.settings_for(size) == wanted.settings)
        return next(fitting, "")

    def _own(self) -> ExportPreset | None:
        """Return the preset that is shown, if it is the user's."""
        name = self._purpose(self._wanted)
        try:
            return next((one for one in self._book.own() if one.name == name), None)
        except DiskError:
            return None

    def _choose_purpose(self, name: str) -> None:
        if name:
            project = self._wanted.project
            self._change(self._book.named(name).settings_for((project.width, project.height)))

    def _keep(self) -> None:
        name = asking.ask_text(
            self, tr("Keep these settings"), tr("Under which name are they kept?"), self._wanted.form.label
        )
        if name:
            self._try(lambda: self._book.keep(ExportPreset(name[:60], self._wanted.settings)))

    def _remove(self) -> None:
        own = self._own()
        if own is not None:
            self._try(lambda: self._book.remove(own.name))

    def _try(self, work: Callable[[], object]) -> None:
        try:
            work()
        except DiskError as error:
            self._fault(str(error))
        self._change(self._wanted.settings)

    # How it is written.

    def _add_format(self) -> None:
        chosen = self.choice(
            tr("Format"),
            [(one.key, one.label) for one in FORMATS.all()],
            lambda wanted: wanted.settings.format,
            self._choose_format,
        )
        self.row(tr("Format"), chosen)
        self.add(
            self.told(
                lambda wanted: tr("{note} Shown by {plays}.", note=wanted.form.note, plays=wanted.form.plays)
            )
        )

    def _choose_format(self, key: str) -> None:
        """Take another format; what it cannot do is left out."""
        form, settings = FORMATS.named(key), self._wanted.settings
        has_words = isinstance(settings.quality, QualityWord)
        self._with(
            format=key,
            quality=settings.quality if has_words else QualityWord.FINE,
            bits=None,
            is_clear=settings.is_clear and form.has_alpha,
        )

    def _add_quality(self) -> None:
        words = {
            QualityWord.SMALL: tr("small"),
            QualityWord.GOOD: tr("good"),
            QualityWord.FINE: tr("fine"),
        }
        chosen = self.choice(
            tr("Quality"),
            [*((one.value, text) for one, text in words.items()), (_NUMBER, tr("by number"))],
            lambda wanted: (
                wanted.settings.quality.value if isinstance(wanted.settings.quality, QualityWord) else _NUMBER
            ),
            self._choose_quality,
        )
        number = self.number(
            tr("Number of the encoder"),
            lambda wanted: (
                0 if wanted.form.quality is None else wanted.form.quality.number(wanted.settings.quality)
            ),
            lambda value: self._with(quality=float(value)),
            limits=(0, 512),
        )
        number.setFixedWidth(84)
        unit = self.told(lambda wanted: "" if wanted.form.quality is None else wanted.form.quality.name)

        def show_limits(wanted: ExportWanted) -> None:
            if wanted.form.quality is not None:
                number.show_limits(wanted.form.quality.low, wanted.form.quality.high)

        self.shows(show_limits)
        self.row(tr("Quality"), chosen, number, unit, when=lambda wanted: wanted.form.quality is not None)
        bits = self.choice(
            tr("Bits a value"),
            lambda wanted: [(str(one), str(one)) for one in wanted.form.bits],
            lambda wanted: str(wanted.settings.bits or wanted.form.bits[0]),
            lambda key: self._with(bits=int(key)),
        )
        self.row(tr("Bits a value"), bits, when=lambda wanted: len(wanted.form.bits) > 1)

    def _choose_quality(self, key: str) -> None:
        quality = self._wanted.form.quality
        if key != _NUMBER:
            self._with(quality=QualityWord(key))
        elif quality is not None:
            self._with(quality=quality.number(self._wanted.settings.quality))

    # Its sound, and what else it has.

    def _add_sound(self) -> None:
        chosen = self.choice(
            tr("Loudness"),
            self._loudnesses,
            self._loudness,
            lambda key: self._with(loudness=float(key) if key else None),
        )
        self.row(tr("Loudness"), chosen, when=_has_sound)
        told = self.told(self._loudness_words, hides=True)
        self.add(told)

    def _loudnesses(self, wanted: ExportWanted) -> Options:
        own = wanted.settings.loudness
        targets = sorted({*_TARGETS, *(() if own is None else (own,))}, reverse=True)
        words = {-14.0: tr("for the web"), -16.0: tr("for phones"), -23.0: tr("for broadcast")}
        named = ((str(one), f"{one:g} LUFS {words.get(one, '')}".strip()) for one in targets)
        return [("", tr("as it is")), *named]

    def _loudness(self, wanted: ExportWanted) -> str:
        return "" if wanted.settings.loudness is None else str(wanted.settings.loudness)

    def _loudness_words(self, wanted: ExportWanted) -> str:
        """Return how loud the mix is, and what is done about it."""
        loudness, target = wanted.loudness, wanted.settings.loudness
        if loudness is None or not _has_sound(wanted):
            return ""
        now = tr(
            "The mix is {level:.1f} LUFS loud, its peak {peak:.1f} dB.",
            level=loudness.integrated,
            peak=loudness.peak,
        )
        if target is None:
            return now
        gain, is_held = loudness.gain_to(target)
        change = tr("It is changed by {gain:+.1f} dB.", gain=gain)
        held = tr("Its peaks allow no more.") if is_held else ""
        return f"{now} {change} {held}".strip()

    def _add_extras(self) -> None:
        silent = self.check(
            tr("no sound"),
            tr("Leave the sound out"),
            lambda wanted: wanted.settings.is_silent,
            lambda is_on: self._with(is_silent=is_on),
        )
        clear = self.check(
            tr("over nothing"),
            tr("Titles and overlays alone, transparent around them, for another program"),
            lambda wanted: wanted.settings.is_clear,
            lambda is_on: self._with(is_clear=is_on),
        )
        chapters = self.check(
            tr("chapters"),
            tr("A chapter for each part of the song"),
            lambda wanted: wanted.settings.has_chapters,
            lambda is_on: self._with(has_chapters=is_on),
        )
        poster = self.check(
            tr("poster"),
            tr("The picture under the playhead stands for the film where it is listed"),
            lambda wanted: wanted.settings.poster is not None,
            lambda is_on: self._with(poster=round(self._wanted.playhead, 3) if is_on else None),
        )
        at = self.told(
            lambda wanted: "" if wanted.settings.poster is None else clock_text(wanted.settings.poster)
        )
        self.seen(lambda wanted: wanted.form.has_alpha, clear)
        self.seen(_is_film, silent, chapters)
        self.seen(_has_poster, poster, at)
        self.row(
            tr("With"),
            clear,
            silent,
            chapters,
            poster,
            at,
            when=lambda wanted: wanted.form.has_alpha or _is_film(wanted),
        )


def _has_sound(wanted: ExportWanted) -> bool:
    is_left_out = wanted.settings.is_silent and _is_film(wanted)
    return wanted.form.has_sound and wanted.project.song is not None and not is_left_out


def _is_film(wanted: ExportWanted) -> bool:
    return isinstance(wanted.form.output, FilmOutput)


def _has_poster(wanted: ExportWanted) -> bool:
    return isinstance(wanted.form.output, FilmOutput) and wanted.form.output.has_poster
