"""The bench of a lane: which hits fire it, its shape, its effect's parameters."""

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from epiphane.audio.in_project import with_usual_range
from epiphane.desk.bench.accents import accent_key, accent_of, accent_options
from epiphane.desk.bench.follow import FollowRows, following
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.parameters import ParameterRows
from epiphane.desk.bench.pick import PickRows
from epiphane.desk.bench.rows import StructFields, limited_field
from epiphane.desk.bench.shape import ShapeRows
from epiphane.desk.bench.spans import SpanRows
from epiphane.desk.bench.text import TextRows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.instrument import Instrument
from epiphane.desk.control.titles import WordsDesk
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    ChecksButton,
    TextField,
    button,
    choice_field,
    in_a_row,
    label,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.look.lanes import lane_colour, lane_label
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, LaneId, PulseId, TrackId
from epiphane.document.lane import Accent, AccentPoint, EffectInstance, Lane, Setting, Trigger
from epiphane.document.project import Project, find, pulse_of
from epiphane.document.pulse import BandSource, Pulse, PulseUnit
from epiphane.edits.lanes import change_envelope, change_lane, fire_by, remove_lane, set_setting
from epiphane.edits.main_track import track_name
from epiphane.edits.overlays import set_clips
from epiphane.edits.pulses import ensure_pulse, pulse_name
from epiphane.edits.shots import footage_name
from epiphane.facts.grid import usual_beat_frames
from epiphane.lane_kinds import alike, is_layer, is_transition, lane_kind, takes_clips

_WAYS = (
    (Trigger.FIRE.value, "fires the shape"),
    (Trigger.STEP.value, "steps on"),
    (Trigger.TOGGLE.value, "switches on or off"),
    (Trigger.FOLLOW.value, "a band is followed"),
    (Trigger.SPAN.value, "is on over spans"),
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
_TOLD = {"n_steps": "the number of steps"}


class LaneBench(BenchPage):
    """Everything about one lane. Made anew for another lane, kept current while it stays.

    Signals
    -------
    copy_asked()
    """

    copy_asked = pyqtSignal()

    def __init__(self, editor: Editor, lane: Lane, instrument: Instrument) -> None:
        super().__init__()
        self._editor, self._instrument = editor, instrument
        self._fields = StructFields(Lane, self._change, released=editor.end_gesture)
        self.lane_id: LaneId = lane.id
        self.effect_key = lane.effect
        self._is_transition = is_transition(lane.effect)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(self._pulse_row())
        box.addWidget(self._way_row())
        box.addWidget(self._steps_row)
        self.spans = SpanRows(editor, lane.id)
        box.addWidget(self.spans)
        self._remark = label("")
        self._remark.setWordWrap(True)
        self.pick = PickRows(editor, lane)
        self.follow = FollowRows(editor, lane.id)
        self.shape = self._shape_rows(lane)
        self.parameters = ParameterRows(lane.effect, lane_colour(lane))
        self.parameters.changed.connect(self._set)
        self.parameters.released.connect(editor.end_gesture)
        self.parameters.refused.connect(lambda text: editor.said.emit(text, True))
        self._clips = ChecksButton("What each cue plays, one after the other", "nothing yet")
        self._clips.chosen.connect(self._choose_clips)
        self._clips_row = row("Plays", self._clips)
        self._clips_row.setVisible(takes_clips(lane.effect))
        self.words = None if lane.words is None else TextRows(WordsDesk(editor))
        if self.words is not None:
            box.addWidget(self.words)
        for widget in (self._clips_row, self.pick, self.follow, self.shape, self._remark, self.parameters):
            box.addWidget(widget)
        box.addWidget(rule())
        box.addWidget(self._depth_row(lane))
        self._wander_row_shown = self._wander_row(lane)
        box.addWidget(self._wander_row_shown)
        box.addWidget(self._aim_row())
        box.addWidget(self._played_row())
        box.addWidget(self._accent_row())
        box.addWidget(self._name_row())
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the lane as it is now."""
        lane = self._lane()
        if lane is None:
            return
        show_choice(self._trigger, lane.trigger.value)
        self._steps_row.setVisible(lane.trigger is Trigger.STEP)
        cues = self._editor.cues.lane(lane.id)
        if cues is not None:
            self.pick.refresh(lane, cues)
        has_hits = lane.trigger not in (Trigger.FOLLOW, Trigger.SPAN)
        self._trigger.setVisible(not self._is_transition)
        self._way_words.setVisible(has_hits and not self._is_transition)
        self.spans.setVisible(lane.trigger is Trigger.SPAN)
        if lane.trigger is Trigger.SPAN:
            self.spans.refresh(lane)
        self._show_alternatives(lane)
        self._show_armed()
        self._show_accent(lane)
        self._show_remark()
        pulse = pulse_of(self._editor.project, lane)
        is_following = lane.trigger is Trigger.FOLLOW
        self.follow.setVisible(is_following)
        self.follow.refresh(lane)
        self.shape.setVisible(not is_following)
        beat_frames = usual_beat_frames(self._editor.project, lane)
        self.shape.show_envelope(lane.envelope, lane_colour(lane), beat_frames)
        if pulse is not None:
            self._every.show_value(pulse.every)
        show_options(self._unit, _pulse_options(self._editor.project))
        show_choice(self._unit, str(pulse.id) if pulse is not None else "")
        self._every.setVisible(has_hits and pulse is not None and pulse.unit is not None)
        self._unit.setVisible(has_hits)
        self._fired_words.setVisible(has_hits)
        self._fields.show(lane)
        self._name.show_text(lane_label(lane))
        self._mute.setChecked(lane.is_muted)
        self._solo.setChecked(lane.is_solo)
        self._lock.setChecked(lane.is_locked)
        self._fold.setChecked(lane.is_folded)
        self._wander_row_shown.setVisible(not is_following)
        self.parameters.show_values(lane.settings)

    def _pulse_row(self) -> QWidget:
        self._unit = choice_field("Fired by", (), self._fire_by)
        self._every = limited_field(Pulse, "every", "Every Nth hit")
        self._every.setPrefix("every ")
        self._every.setFixedWidth(76)
        self._every.edited.connect(lambda value: self._fire_every(round(value)))
        self._mute = QPushButton("Mute")
        self._mute.setCheckable(True)
        self._mute.setProperty("quiet", True)
        self._mute.setToolTip("Let the lane fire nothing (M)")
        self._mute.clicked.connect(lambda on: self._apply(partial(change_lane, is_muted=on), "mute"))
        self._solo = QPushButton("Solo")
        self._solo.setCheckable(True)
        self._solo.setProperty("quiet", True)
        self._solo.setToolTip("Let only this lane fire, and others that are solo (S)")
        self._solo.clicked.connect(lambda on: self._apply(partial(change_lane, is_solo=on), "solo"))
        remove = QPushButton(theme.icon("trash-2", theme.QUIET, 15), "")
        remove.setProperty("quiet", True)
        remove.setAccessibleName("Delete lane")
        remove.setToolTip("Delete the lane (Delete); undo brings it back")
        remove.clicked.connect(lambda: self._apply(remove_lane, "removal of lane"))
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._fired_words = label("by")
        box.addWidget(self._fired_words)
        box.addWidget(self._unit)
        box.addWidget(self._every)
        box.addStretch(1)
        box.addWidget(self._mute)
        box.addWidget(self._solo)
        box.addWidget(remove)
        return made

    def _way_row(self) -> QWidget:
        self._trigger = choice_field(
            "What a hit does",
            _WAYS,
            lambda key: self._set_trigger(Trigger(key)),
        )
        self._steps = self._fields.number("n_steps", "Steps until it begins again")
        self._steps.setFixedWidth(48)
        self._steps_row = row("Steps", self._steps, label("and then back"))
        self._way_words = label("each hit")
        tip = "A copy of the lane below it, to be fired by another pulse (Ctrl+Shift+D)"
        copy = button("Copy", tip, self.copy_asked.emit)
        copy.setProperty("quiet", True)
        self._lock = self._switch("Lock", "Let nothing change the lane", "is_locked")
        self._fold = self._switch("Fold", "Draw its row low", "is_folded")
        right = (self._lock, self._fold, copy)
        return in_a_row(self._way_words, self._trigger, right=right)

    def _switch(self, text: str, tip: str, field: str) -> QPushButton:
        made = QPushButton(text)
        made.setCheckable(True)
        made.setProperty("quiet", True)
        made.setToolTip(tip)
        made.clicked.connect(
            lambda on: self._apply(partial(change_lane, **{field: on}), f"{text.lower()} of a lane")
        )
        return made

    def _shape_rows(self, lane: Lane) -> ShapeRows:
        made = ShapeRows()
        made.speak_of(lane.effect)
        made.changed.connect(
            lambda changes, gesture: self._apply(
                partial(change_envelope, **changes), f"change of {' and '.join(changes)}", gesture=gesture
            )
        )
        made.released.connect(self._editor.end_gesture)
        return made

    def _depth_row(self, lane: Lane) -> QWidget:
        bar = self._fields.bar("depth", "Depth", lane_colour(lane))
        return row("Depth", bar, self._fields.number("depth", "Depth", "%", factor=100))

    def _wander_row(self, lane: Lane) -> QWidget:
        bar = self._fields.bar("wander", "Wander", lane_colour(lane))
        bar.setToolTip("Wander: how much weaker a cue may be, by chance")
        seed = self._fields.number("seed", "Seed")
        seed.setFixedWidth(54)
        seed.setToolTip("Seed of the chance: the same seed gives the same strengths every time")
        share = self._fields.number("wander", "Wander", "%", factor=100)
        return row("Wander", bar, share, label("seed"), seed)

    def _played_row(self) -> QWidget:
        self._arm = QPushButton("Arm")
        self._arm.setCheckable(True)
        self._arm.setToolTip("Let a key play the lane while the song plays; held as long as the key is held")
        self._arm.clicked.connect(lambda _on: self._toggle_armed())
        self._arm_words = label("")
        self._quantised = choice_field("On which hits what is played falls", (), self._quantise)
        return row("Played", self._arm, self._arm_words, label("falls on"), self._quantised)

    def _accent_row(self) -> QWidget:
        self._accent = choice_field("Sound that is heard with each cue", (), self._choose_accent)
        self._accent_gain = limited_field(Accent, "gain", "Gain of the sound", "dB")
        self._accent_gain.edited.connect(lambda gain: self._change_accent(gain=gain))
        self._accent_point = choice_field(
            "What of the sound is on the hit",
            [(AccentPoint.ATTACK.value, "attack on it"), (AccentPoint.PEAK.value, "peak on it")],
            lambda key: self._change_accent(point=AccentPoint(key)),
        )
        return row("Sound", self._accent, self._accent_gain, self._accent_point)

    def _choose_accent(self, key: str) -> None:
        lane = self._lane()
        made = accent_of(key)
        if made is not None and lane is not None and lane.accent is not None:
            made = replace(made, gain=lane.accent.gain, point=lane.accent.point)
        self._apply(partial(change_lane, accent=made), "sound of a lane")

    def _change_accent(self, **changes: Any) -> None:
        lane = self._lane()
        if lane is not None and lane.accent is not None:
            accent = replace(lane.accent, **changes)
            self._apply(partial(change_lane, accent=accent), "sound of a lane")

    def _show_accent(self, lane: Lane) -> None:
        show_options(self._accent, accent_options(self._editor.project, "none"))
        show_choice(self._accent, accent_key(lane.accent))
        for field in (self._accent_gain, self._accent_point):
            field.setVisible(lane.accent is not None)
        if lane.accent is not None:
            self._accent_gain.show_value(lane.accent.gain)
            show_choice(self._accent_point, lane.accent.point.value)

    def _toggle_armed(self) -> None:
        self._instrument.arm(self.lane_id)
        self._show_armed()

    def _quantise(self, key: str) -> None:
        self._instrument.pulse = PulseId(int(key)) if key else None

    def _show_armed(self) -> None:
        key = self._instrument.key_of(self.lane_id)
        self._arm.setChecked(bool(key))
        self._arm_words.setText(f"with {key}" if key else "by no key")
        pulses = [(str(pulse.id), pulse.name) for pulse in self._editor.project.pulses]
        show_options(self._quantised, [("", "as played"), *pulses])
        chosen = self._instrument.pulse
        show_choice(self._quantised, "" if chosen is None else str(chosen))

    def _aim_row(self) -> QWidget:
        self._aim = choice_field("What the lane acts on", (), self._aim_at)
        self._others = ChecksButton("By chance one of these in its place", "nothing else")
        self._others.chosen.connect(self._choose_alternatives)
        self._aim_words = label("acts on")
        self._others_words = label("or by chance")
        shown = (self._aim_words, self._aim, self._others_words, self._others)
        return in_a_row(*shown, spacing=6)

    def _show_alternatives(self, lane: Lane) -> None:
        """Show what the lane acts on, and what may come in its place."""
        tracks = [
            (str(track.id), track_name(self._editor.project, track)) for track in self._editor.project.tracks
        ]
        gone = lane.track is not None and not any(one.id == lane.track for one in self._editor.project.tracks)
        missing = [(str(lane.track), "a track that is gone")] if gone else []
        show_options(self._aim, [("", "all before it"), *tracks, *missing])
        show_choice(self._aim, "" if lane.track is None else str(lane.track))
        has_aim = not self._is_transition and not is_layer(lane.effect)
        for widget in (self._aim, self._aim_words):
            widget.setVisible(has_aim)
        options = [(one.key, one.label) for one in alike(lane.effect) if one.key != lane.effect]
        self._others.setVisible(not is_layer(lane.effect))
        self._others_words.setVisible(not is_layer(lane.effect))
        if self.words is not None and lane.words is not None:
            self.words.show_text(lane.words)
        if takes_clips(lane.effect):
            self._show_clips(lane)
        self._others.show_checks(lambda: options, [one.effect for one in lane.alternatives])

    def _show_clips(self, lane: Lane) -> None:
        seen = [one for one in self._editor.project.footage if one.kind is not FootageKind.SOUND]
        options = [(str(one.id), footage_name(one)) for one in seen]
        self._clips.show_checks(lambda: options, [str(one) for one in lane.clips])

    def _choose_clips(self, keys: tuple[str, ...]) -> None:
        clips = [FootageId(int(key)) for key in keys]
        self._apply(lambda p, lane: set_clips(p, lane, clips), "footage of an overlay")

    def _show_remark(self) -> None:
        """Say where a transition lacks footage."""
        shown = [one for one in self._editor.cues.transitions if one.lane == self.lane_id]
        lacking = [words for one in shown for words in one.lacking_words(self._editor.project)]
        more = f" (and {len(lacking) - 1} more like it)" if len(lacking) > 1 else ""
        self._remark.setText(f"{lacking[0]}{more}." if lacking else "")
        self._remark.setVisible(bool(lacking))

    def _aim_at(self, key: str) -> None:
        track = TrackId(int(key)) if key else None
        self._apply(partial(change_lane, track=track), "aim of a lane")

    def _choose_alternatives(self, keys: tuple[str, ...]) -> None:
        lane = self._lane()
        if lane is not None:
            kept = {one.effect: one for one in lane.alternatives}
            made = tuple(kept.get(key, EffectInstance(key)) for key in keys)
            self._apply(partial(change_lane, alternatives=made), "what comes by chance")

    def _name_row(self) -> QWidget:
        tip = "What the lane is called, to be told from others; empty for the name of its effect"
        self._name = TextField("Name of the lane", tip)
        self._name.editingFinished.connect(self._rename)
        return row("Name", self._name)

    def _rename(self) -> None:
        lane, name = self._lane(), self._name.text().strip()
        if lane is None or name == lane_label(lane):
            return
        effect = lane_kind(lane.effect)
        own = "" if effect is not None and name == effect.label else name
        self._apply(partial(change_lane, name=own), "name of a lane")

    def _lane(self) -> Lane | None:
        return next((lane for lane in self._editor.project.lanes if lane.id == self.lane_id), None)

    def _apply(
        self, edit: Callable[[Project, LaneId], Project], text: str, *, gesture: str | None = None
    ) -> None:
        if not self._editor.apply(lambda p: edit(p, self.lane_id), text, gesture=gesture):
            self.refresh()  # with what is still so

    def _set(self, setting: Setting, gesture: str | None) -> None:
        self._apply(
            lambda p, lane: set_setting(p, lane, setting), f"change of {setting.name}", gesture=gesture
        )

    def _set_trigger(self, way: Trigger) -> None:
        """Let hits do something else; what is followed at first is the band of the pulse."""
        lane = self._lane()
        if lane is None:
            return
        begins_to_follow, band = way is Trigger.FOLLOW and not lane.follow.heard, self._band_of(lane)

        def edit(project: Project) -> Project:
            if begins_to_follow:
                project = following(self._editor, lane.id, **band)(project)
                found = with_usual_range(find(project.lanes, lane.id, "lane").follow)
                project = change_lane(project, lane.id, follow=found)
            return change_lane(project, lane.id, trigger=way)

        self._editor.apply(edit, "change of what a hit does")
        self.refresh()

    def _band_of(self, lane: Lane) -> dict[str, float]:
        pulse = pulse_of(self._editor.project, lane)
        if pulse is not None and isinstance(pulse.source, BandSource):
            return {"low": pulse.source.low, "high": pulse.source.high}
        if pulse is not None and pulse.unit in _BANDS:
            return dict(zip(("low", "high"), _BANDS[pulse.unit], strict=True))
        return {}

    def _change(self, *, gesture: str | None = None, **changes: object) -> None:
        text = f"change of {_TOLD.get(next(iter(changes)), next(iter(changes)))}"
        self._apply(lambda p, lane: change_lane(p, lane, **changes), text, gesture=gesture)

    def _fire_by(self, key: str) -> None:
        if key.isdigit():
            pulse = PulseId(int(key))
            self._apply(lambda p, lane: fire_by(p, lane, pulse), "change of pulse")
        elif key:
            self._fire(PulseUnit(key), 1)
        self.refresh()

    def _fire_every(self, every: int) -> None:
        lane = self._lane()
        pulse = None if lane is None else pulse_of(self._editor.project, lane)
        if pulse is not None and pulse.unit is not None:
            self._fire(pulse.unit, every)

    def _fire(self, unit: PulseUnit, every: int) -> None:
        def edit(project: Project) -> Project:
            project, pulse = ensure_pulse(project, unit, every=every)
            return fire_by(project, self.lane_id, pulse)

        self._editor.apply(edit, "change of pulse")
        self.refresh()


def _pulse_options(project: Project) -> list[tuple[str, str]]:
    """Return the pulses of a project by number, and what else can be counted by its name."""
    options = [(str(pulse.id), pulse.name) for pulse in project.pulses]
    plain = {pulse.unit for pulse in project.pulses if (pulse.every, pulse.keep) == (1, 1.0)}
    options += [(unit.value, pulse_name(unit, 1)) for unit in PulseUnit if unit not in plain]
    has_all = {pulse.id for pulse in project.pulses} >= {lane.pulse for lane in project.lanes}
    return options if has_all else [("", "no pulse"), *options]
