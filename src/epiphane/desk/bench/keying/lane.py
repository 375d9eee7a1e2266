"""The bench of a lane: which hits fire it, its shape, its effect's parameters."""

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton

from epiphane.audio.in_project import with_usual_range
from epiphane.desk.bench.items.text import TextRows
from epiphane.desk.bench.keying.envelope_rows import EnvelopeRows
from epiphane.desk.bench.keying.follow import FollowRows, following
from epiphane.desk.bench.keying.look_tiles import LookTiles
from epiphane.desk.bench.keying.matching import MatchingRows
from epiphane.desk.bench.keying.parameters import ParameterRows
from epiphane.desk.bench.keying.pick import PickRows
from epiphane.desk.bench.keying.spans import SpanRows
from epiphane.desk.bench.options import accent_key, accent_of, accent_options, clip_options, pulse_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.grading import GradeDesk
from epiphane.desk.control.instrument import Instrument
from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.control.titles import WordsDesk
from epiphane.desk.look import theme
from epiphane.desk.look.fields import ChecksButton, button, in_a_row, label
from epiphane.desk.look.lanes import lane_colour, lane_label
from epiphane.document.ids import FootageId, LaneId, PulseId, TrackId
from epiphane.document.lane import Accent, AccentPoint, EffectInstance, Lane, Setting, Trigger
from epiphane.document.project import Project, find, pulse_of
from epiphane.document.pulse import BandSource, Pulse, PulseUnit
from epiphane.edits.keying.lanes import change_envelope, change_lane, fire_by, remove_lane, set_setting
from epiphane.edits.keying.overlays import set_clips
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.sources import pulse_name
from epiphane.edits.shots.main_track import track_name
from epiphane.facts.grid import usual_beat_frames
from epiphane.lane_kinds import alike, is_layer, is_transition, lane_kind, takes_clips
from epiphane.wording import tr

_WAYS = (
    (Trigger.FIRE.value, tr("fires the shape")),
    (Trigger.STEP.value, tr("steps on")),
    (Trigger.TOGGLE.value, tr("switches on or off")),
    (Trigger.FOLLOW.value, tr("a band is followed")),
    (Trigger.SPAN.value, tr("is on over spans")),
)
_BANDS = {
    PulseUnit.KICK: (40, 120),
    PulseUnit.SNARE: (1500, 5000),
    PulseUnit.HAT: (6000, 16_000),
    PulseUnit.LOW: (35, 110),
    PulseUnit.MID: (200, 3000),
    PulseUnit.HIGH: (7000, 15_000),
}
"""Where a drum is heard best, Hz."""
_TOLD = {"n_steps": tr("the number of steps")}


class LaneBench(BenchPage[Lane]):
    """Everything about one lane. Made anew for another lane, kept current while it stays.

    Signals
    -------
    copy_asked()
    """

    copy_asked = pyqtSignal()

    def __init__(
        self, editor: Editor, lane: Lane, instrument: Instrument, shown: ShownPicture, grading: GradeDesk
    ) -> None:
        super().__init__(editor, spacing=5)
        self._instrument = instrument
        self.lane_id: LaneId = lane.id
        self.effect_key = lane.effect
        self._colour = lane_colour(lane)
        self._values = self.fields(Lane, self._change, lambda lane: lane, released=editor.end_gesture)
        self._add_pulse_row()
        self._add_trigger_rows()
        self.pick, self.envelope = PickRows(editor, lane), self._envelope_rows()
        self.parameters = ParameterRows(lane.effect, self._colour)
        self.parameters.changed.connect(self._set)
        self.parameters.released.connect(editor.end_gesture)
        self.parameters.refused.connect(lambda text: editor.said.emit(text, True))
        if (curves := self.parameters.curves) is not None:
            curves.read_picture(lambda: shown.picture)
            shown.changed.connect(curves.refresh_histogram)
        self.words = None if lane.words is None else TextRows(WordsDesk(editor))
        self._remark = self.told(lambda _: self._lacking(), hides=True)
        lasts = lane.trigger is Trigger.SPAN
        if lane.effect == "grade":
            self.part(MatchingRows(grading, shown), lambda lane: lane)
        elif lane.effect == "look":
            self.part(LookTiles(editor, lane.id, grading, shown), lambda lane: lane)
        if lasts:  # its values are the main thing of it
            self.part(self.parameters, lambda lane: lane.settings)
            self.rule()
        self.part(
            partial(SpanRows, editor, lane.id), lambda lane: lane if lane.trigger is Trigger.SPAN else None
        )
        if self.words is not None:
            self.part(self.words, lambda lane: lane.words)
        if takes_clips(lane.effect):
            self.row(tr("Plays"), self._clips())
        self.part(self.pick, lambda lane: lane)
        self.part(
            partial(FollowRows, editor, lane.id),
            lambda lane: lane if lane.trigger is Trigger.FOLLOW else None,
        )
        self.add(self.envelope, when=_has_shape)
        self.add(self._remark)
        if not lasts:
            self.part(self.parameters, lambda lane: lane.settings)
            self.rule()
        self._add_level_rows()
        self._add_aim_row()
        self._add_played_row()
        self._add_accent_row()
        tip = tr("What the lane is called, to be told from others; empty for the name of its effect")
        self.row(tr("Name"), self.text_field(tr("Name of the lane"), tip, lane_label, self._rename))
        self.end()

    def thing(self) -> Lane | None:
        """Return the lane, as it is now."""
        return next((lane for lane in self.editor.project.lanes if lane.id == self.lane_id), None)

    def _pulse(self, lane: Lane) -> Pulse | None:
        return pulse_of(self.editor.project, lane)

    def _add_pulse_row(self) -> None:
        fired_by = self.choice(
            tr("Fired by"),
            lambda _: _pulse_options(self.editor.project),
            lambda lane: "" if (pulse := self._pulse(lane)) is None else str(pulse.id),
            self._fire_by,
        )
        every = self.number(
            tr("Every Nth hit"),
            lambda lane: 1 if (pulse := self._pulse(lane)) is None else pulse.every,
            lambda value: self._fire_every(round(value)),
            limits=(Pulse, "every"),
            width=76,
        )
        every.setPrefix("every ")
        words = label("by")
        self.seen(_has_hits, words, fired_by)
        self.seen(lambda lane: _has_hits(lane) and self._counts(lane), every)
        mute = self._switch(tr("Mute"), tr("Let the lane fire nothing (M)"), "is_muted", "mute")
        tip = tr("Let only this lane fire, and others that are solo (S)")
        solo = self._switch(tr("Solo"), tip, "is_solo", "solo")
        remove = QPushButton(theme.icon("trash-2", theme.QUIET, 15), "")
        remove.setProperty("quiet", True)
        remove.setAccessibleName(tr("Delete lane"))
        remove.setToolTip(tr("Delete the lane (Delete); undo brings it back"))
        remove.clicked.connect(lambda: self._apply(remove_lane, tr("removal of lane")))
        self.add(in_a_row(words, fired_by, every, right=(mute, solo, remove)))

    def _counts(self, lane: Lane) -> bool:
        """Whether the lane is fired by something that can be counted: beats, kicks."""
        pulse = self._pulse(lane)
        return pulse is not None and pulse.unit is not None

    def _add_trigger_rows(self) -> None:
        trigger = self.choice(
            tr("What a hit does"),
            _WAYS,
            lambda lane: lane.trigger.value,
            lambda key: self._set_trigger(Trigger(key)),
        )
        words = label(tr("each hit"))
        self.seen(lambda lane: not is_transition(lane.effect), trigger)
        self.seen(lambda lane: _has_hits(lane) and not is_transition(lane.effect), words)
        tip = tr("A copy of the lane below it, to be fired by another pulse (Ctrl+Shift+D)")
        copy = button(tr("Copy"), tip, self.copy_asked.emit)
        copy.setProperty("quiet", True)
        lock = self._switch(tr("Lock"), tr("Let nothing change the lane"), "is_locked", tr("lock of a lane"))
        fold = self._switch(tr("Fold"), tr("Draw its row low"), "is_folded", tr("fold of a lane"))
        self.add(in_a_row(words, trigger, right=(lock, fold, copy)))
        steps = self._values.number("n_steps", tr("Steps until it begins again"))
        steps.setFixedWidth(48)
        self.row(
            tr("Steps"), steps, label(tr("and then back")), when=lambda lane: lane.trigger is Trigger.STEP
        )

    def _switch(self, text: str, tip: str, field: str, told: str) -> QPushButton:
        return self.switch(
            text,
            tip,
            lambda lane: bool(getattr(lane, field)),
            lambda is_on: self._apply(lambda p, lane: change_lane(p, lane, **{field: is_on}), told),
        )

    def _envelope_rows(self) -> EnvelopeRows:
        made = EnvelopeRows()
        made.speak_of(self.effect_key)
        made.changed.connect(
            lambda changes, gesture: self._apply(
                partial(change_envelope, **changes),
                tr("change of {names}", names=tr(" and ").join(changes)),
                gesture=gesture,
            )
        )
        made.released.connect(self.editor.end_gesture)

        def show(lane: Lane) -> None:
            made.show_envelope(lane.envelope, self._colour, usual_beat_frames(self.editor.project, lane))

        self.shows(show)
        return made

    def _add_level_rows(self) -> None:
        bar, number = self._values.bar, self._values.number
        self.row(
            tr("Depth"),
            bar("depth", tr("Depth"), self._colour),
            number("depth", tr("Depth"), "%", factor=100),
        )
        wander = bar("wander", tr("Wander"), self._colour)
        wander.setToolTip(tr("Wander: how much weaker a cue may be, by chance"))
        seed = number("seed", tr("Seed"))
        seed.setFixedWidth(54)
        seed.setToolTip(tr("Seed of the chance: the same seed gives the same strengths every time"))
        share = number("wander", tr("Wander"), "%", factor=100)
        self.row(tr("Wander"), wander, share, label(tr("seed")), seed, when=_has_shape)

    def _add_played_row(self) -> None:
        """Add by which key the lane is played, and on which hits what is played falls."""
        instrument = self._instrument
        self._arm = self.switch(
            tr("Arm"),
            tr("Let a key play the lane while the song plays; held as long as the key is held"),
            lambda _: bool(instrument.key_of(self.lane_id)),
            lambda _: self._toggle_armed(),
            is_quiet=False,
        )
        self._arm_words = label("")

        def show(_: Lane) -> None:
            key = instrument.key_of(self.lane_id)
            self._arm_words.setText(tr("with {key}", key=key) if key else tr("by no key"))

        self.shows(show)
        quantised = self.choice(
            tr("On which hits what is played falls"),
            lambda _: [("", tr("as played")), *pulse_options(self.editor.project)],
            lambda _: "" if instrument.pulse is None else str(instrument.pulse),
            self._quantise,
        )
        self.row(tr("Played"), self._arm, self._arm_words, label(tr("falls on")), quantised)

    def _add_accent_row(self) -> None:
        sound = self.choice(
            tr("Sound that is heard with each cue"),
            lambda _: accent_options(self.editor.project, tr("none")),
            lambda lane: accent_key(lane.accent),
            self._choose_accent,
        )
        gain = self.number(
            tr("Gain of the sound"),
            lambda lane: 0.0 if lane.accent is None else lane.accent.gain,
            lambda gain: self._change_accent(gain=gain),
            limits=(Accent, "gain"),
            unit="dB",
        )
        point = self.choice(
            tr("What of the sound is on the hit"),
            [(AccentPoint.ATTACK.value, tr("attack on it")), (AccentPoint.PEAK.value, tr("peak on it"))],
            lambda lane: "" if lane.accent is None else lane.accent.point.value,
            lambda key: self._change_accent(point=AccentPoint(key)),
        )
        self.seen(lambda lane: lane.accent is not None, gain, point)
        self.row(tr("Sound"), sound, gain, point)

    def _choose_accent(self, key: str) -> None:
        lane = self.thing()
        made = accent_of(key)
        if made is not None and lane is not None and lane.accent is not None:
            made = replace(made, gain=lane.accent.gain, point=lane.accent.point)
        self._apply(partial(change_lane, accent=made), tr("sound of a lane"))

    def _change_accent(self, **changes: Any) -> None:
        lane = self.thing()
        if lane is not None and lane.accent is not None:
            accent = replace(lane.accent, **changes)
            self._apply(partial(change_lane, accent=accent), tr("sound of a lane"))

    def _toggle_armed(self) -> None:
        self._instrument.arm(self.lane_id)
        self.refresh()

    def _quantise(self, key: str) -> None:
        self._instrument.pulse = PulseId(int(key)) if key else None

    def _add_aim_row(self) -> None:
        """Add what the lane acts on, and what may come in its place."""
        aim = self.choice(
            tr("What the lane acts on"),
            self._aim_options,
            lambda lane: "" if lane.track is None else str(lane.track),
            self._aim_at,
        )
        self._others = self.checks_button(
            tr("By chance one of these in its place"),
            tr("nothing else"),
            lambda lane: [(one.key, one.label) for one in alike(lane.effect) if one.key != lane.effect],
            lambda lane: [one.effect for one in lane.alternatives],
            self._choose_alternatives,
        )
        words, others_words = label(tr("acts on")), label(tr("or by chance"))
        self.seen(lambda lane: not is_transition(lane.effect) and not is_layer(lane.effect), aim, words)
        self.seen(lambda lane: not is_layer(lane.effect), self._others, others_words)
        self.add(in_a_row(words, aim, others_words, self._others, spacing=6))

    def _aim_options(self, lane: Lane) -> list[tuple[str, str]]:
        project = self.editor.project
        tracks = [(str(track.id), track_name(project, track)) for track in project.tracks]
        is_gone = lane.track is not None and not any(one.id == lane.track for one in project.tracks)
        missing = [(str(lane.track), tr("a track that is gone"))] if is_gone else []
        return [("", tr("all before it")), *tracks, *missing]

    def _clips(self) -> ChecksButton:
        return self.checks_button(
            tr("What each cue plays, one after the other"),
            tr("nothing yet"),
            lambda _: clip_options(self.editor.project),
            lambda lane: [str(one) for one in lane.clips],
            self._choose_clips,
        )

    def _choose_clips(self, keys: tuple[str, ...]) -> None:
        clips = [FootageId(int(key)) for key in keys]
        self._apply(lambda p, lane: set_clips(p, lane, clips), tr("footage of an overlay"))

    def _lacking(self) -> str:
        """Return where a transition lacks footage."""
        shown = [one for one in self.editor.cues.transitions if one.lane == self.lane_id]
        lacking = [words for one in shown for words in one.lacking_words(self.editor.project)]
        more = tr(" (and {count} more like it)", count=len(lacking) - 1) if len(lacking) > 1 else ""
        return f"{lacking[0]}{more}." if lacking else ""

    def _aim_at(self, key: str) -> None:
        track = TrackId(int(key)) if key else None
        self._apply(partial(change_lane, track=track), tr("aim of a lane"))

    def _choose_alternatives(self, keys: tuple[str, ...]) -> None:
        lane = self.thing()
        if lane is not None:
            kept = {one.effect: one for one in lane.alternatives}
            made = tuple(kept.get(key, EffectInstance(key)) for key in keys)
            self._apply(partial(change_lane, alternatives=made), tr("what comes by chance"))

    def _rename(self, name: str) -> None:
        effect = lane_kind(self.effect_key)
        own = "" if effect is not None and name == effect.label else name
        self._apply(partial(change_lane, name=own), tr("name of a lane"))

    def _apply(
        self, edit: Callable[[Project, LaneId], Project], text: str, *, gesture: str | None = None
    ) -> None:
        if not self.editor.apply(lambda p: edit(p, self.lane_id), text, gesture=gesture):
            self.refresh()  # with what is still so

    def _set(self, setting: Setting, gesture: str | None) -> None:
        self._apply(
            lambda p, lane: set_setting(p, lane, setting),
            tr("change of {name}", name=setting.name),
            gesture=gesture,
        )

    def _set_trigger(self, way: Trigger) -> None:
        """Let hits do something else; what is followed at first is the band of the pulse."""
        lane = self.thing()
        if lane is None:
            return
        begins_to_follow, band = way is Trigger.FOLLOW and not lane.follow.heard, self._band_of(lane)

        def edit(project: Project) -> Project:
            if begins_to_follow:
                project = following(self.editor, lane.id, **band)(project)
                found = with_usual_range(find(project.lanes, lane.id, "lane").follow)
                project = change_lane(project, lane.id, follow=found)
            return change_lane(project, lane.id, trigger=way)

        self.editor.apply(edit, tr("change of what a hit does"))
        self.refresh()

    def _band_of(self, lane: Lane) -> dict[str, float]:
        pulse = pulse_of(self.editor.project, lane)
        if pulse is not None and isinstance(pulse.source, BandSource):
            return {"low": pulse.source.low, "high": pulse.source.high}
        if pulse is not None and pulse.unit in _BANDS:
            return dict(zip(("low", "high"), _BANDS[pulse.unit], strict=True))
        return {}

    def _change(self, *, gesture: str | None = None, **changes: object) -> None:
        text = tr("change of {what}", what=_TOLD.get(next(iter(changes)), next(iter(changes))))
        self._apply(lambda p, lane: change_lane(p, lane, **changes), text, gesture=gesture)

    def _fire_by(self, key: str) -> None:
        if key.isdigit():
            pulse = PulseId(int(key))
            self._apply(lambda p, lane: fire_by(p, lane, pulse), tr("change of pulse"))
        elif key:
            self._fire(PulseUnit(key), 1)
        self.refresh()

    def _fire_every(self, every: int) -> None:
        lane = self.thing()
        pulse = None if lane is None else pulse_of(self.editor.project, lane)
        if pulse is not None and pulse.unit is not None:
            self._fire(pulse.unit, every)

    def _fire(self, unit: PulseUnit, every: int) -> None:
        def edit(project: Project) -> Project:
            project, pulse = ensure_pulse(project, unit, every=every)
            return fire_by(project, self.lane_id, pulse)

        self.editor.apply(edit, tr("change of pulse"))
        self.refresh()


def _has_hits(lane: Lane) -> bool:
    return lane.trigger not in (Trigger.FOLLOW, Trigger.SPAN)


def _has_shape(lane: Lane) -> bool:
    return lane.trigger is not Trigger.FOLLOW


def _pulse_options(project: Project) -> list[tuple[str, str]]:
    """Return the pulses of a project by number, and what else can be counted by its name."""
    options = pulse_options(project)
    plain = {pulse.unit for pulse in project.pulses if (pulse.every, pulse.keep) == (1, 1.0)}
    options += [(unit.value, pulse_name(unit, 1)) for unit in PulseUnit if unit not in plain]
    has_all = {pulse.id for pulse in project.pulses} >= {lane.pulse for lane in project.lanes}
    return options if has_all else [("", tr("no pulse")), *options]
