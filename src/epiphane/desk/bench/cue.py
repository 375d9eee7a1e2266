"""The bench page of selected cues: strength, nudge, and what each has of its own."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from epiphane.desk.bench.accents import accent_key, accent_of, accent_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.parameters import ParameterRows
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.bench.shape import ShapeRows
from epiphane.desk.control.cues import CueDesk
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    RangeBar,
    button,
    choice_field,
    in_a_row,
    label,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.look.lanes import family_colour
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId
from epiphane.document.lane import EffectInstance, Lane, Override, Setting
from epiphane.document.project import Project
from epiphane.edits.cues import (
    CueKey,
    change_cue_envelope,
    override_of,
    reset_cue_envelope,
    reset_cue_settings,
    reset_cues,
    set_cue_accent,
    set_cue_effect,
    set_cue_nudge,
    set_cue_setting,
    set_cue_strength,
    toggle_cues,
)
from epiphane.edits.overlays import set_cue_clip
from epiphane.edits.shots import footage_name
from epiphane.facts.grid import usual_beat_frames
from epiphane.keying.copying import in_same_section, on_same_beat
from epiphane.keying.neighbours import nudge_limits
from epiphane.keying.schedule import Cue, Schedule
from epiphane.keying.varying import overridden
from epiphane.lane_kinds import OVERLAY, alike, lane_kind


class CueBench(BenchPage):
    """The selected cues: off or on, weaker or stronger, nudged, with a shape, values or effect of their own.

    What is shown is that of the first; what is changed is changed of all.
    """

    def __init__(self, editor: Editor, desk: CueDesk) -> None:
        super().__init__()
        self._editor = editor
        self._of_effect = ""
        self._keys: frozenset[CueKey] = frozenset()
        self.parameters = ParameterRows("", theme.TEXT, can_vary=False)
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(8)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        self._what.setWordWrap(True)
        for widget in (self._what, self._buttons(), self._alike_row(), self._look_row(desk)):
            self._box.addWidget(widget)
        self._bar = RangeBar("Strength", low=0, high=200, colour=theme.TEXT, has_rest=False)
        self.strength = limited_field(Override, "strength", "Strength", "%", factor=100)
        self._bar.changed.connect(lambda _rest, value: self._set_strength(value, gesture="strength"))
        self._bar.released.connect(editor.end_gesture)
        self.strength.edited.connect(self._set_strength)
        self._box.addWidget(row("Strength", self._bar, self.strength))
        self.nudge = limited_field(Override, "nudge", "Nudge", "f")
        self.nudge.edited.connect(self._set_nudge)
        self._box.addWidget(row("Nudge", self.nudge, label("Alt ← →")))
        self._box.addWidget(rule())
        self._box.addWidget(self._own_row())
        self.accent = choice_field("Sound of these cues", (), self._choose_accent)
        self._box.addWidget(row("Sound", self.accent))
        self.shape = ShapeRows()
        self.shape.changed.connect(self._change_shape)
        self.shape.released.connect(editor.end_gesture)
        self._box.addWidget(self.shape)
        self._place_of_parameters = self._box.count()
        self._box.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        """Show the cues as they are now."""
        if self._editor.selection.cues != self._keys:
            self._keys, self._wants_values = self._editor.selection.cues, False
        chosen = self._chosen()
        if not chosen:
            self._what.setText("The hits of these cues are not there at the moment.")
            return
        cues = [cue for _, cue in chosen]
        lane, first = chosen[0]
        if len(cues) == 1:
            self._what.setText(f"hit at {first.hit.time:.3f} s, peak on frame {first.frame}")
        else:
            self._what.setText(f"{len(cues)} cues, frames {first.frame} to {cues[-1].frame}")
        lacking = [
            words
            for one in self._editor.cues.transitions
            if (one.lane, one.cue.hit.time) in self._keys
            for words in one.lacking_words(self._editor.project)
        ]
        if lacking:
            self._what.setText("\n".join([self._what.text(), *lacking[:2]]))
        self._toggle.setText("Turn on" if all(cue.is_off for cue in cues) else "Turn off")
        override = first.override or Override(first.hit.time)
        strength = 1.0 if override.strength is None else override.strength
        self._bar.set_values(0, strength * 100)
        self.strength.show_value(strength * 100)
        self.nudge.show_value(override.nudge)
        self._reset.setEnabled(any(cue.override is not None for cue in cues))
        effects = {(cue.override and cue.override.effect) or one.effect for one, cue in chosen}
        self._refresh_own(lane, override, has_one_effect=len(effects) == 1)

    def _refresh_own(self, lane: Lane, override: Override, *, has_one_effect: bool) -> None:
        """Show what the first cue has of its own; values only where all have the same effect."""
        options = [("", "same as lane"), *((one.key, one.label) for one in alike(lane.effect))]
        if override.effect is not None and lane_kind(override.effect) is None:
            options.append((override.effect, f"{override.effect} (missing)"))
        show_options(self.effect, options)
        show_choice(self.effect, override.effect or "")
        show_options(self.accent, accent_options(self._editor.project, "same as lane"))
        show_choice(self.accent, accent_key(override.accent))
        is_overlay = lane_kind(lane.effect) is OVERLAY
        self.clip.setVisible(is_overlay)
        self.effect.setVisible(not is_overlay)
        self._own_words.setText("plays" if is_overlay else "effect")
        if is_overlay:
            seen = [one for one in self._editor.project.footage if one.kind is not FootageKind.SOUND]
            clips = [("", "same as lane"), *((str(one.id), footage_name(one)) for one in seen)]
            show_options(self.clip, clips)
            show_choice(self.clip, "" if override.clip is None else str(override.clip))
        self.own_shape.setChecked(override.envelope is not None)
        self.shape.setVisible(override.envelope is not None)
        shown = overridden(lane.instance, override)
        beat_frames = usual_beat_frames(self._editor.project, lane)
        self.shape.speak_of(shown.effect)
        self.shape.show_envelope(override.envelope or lane.envelope, family_colour(shown.effect), beat_frames)
        has_values = bool(override.settings) or self._wants_values
        self.own_values.setEnabled(has_one_effect)
        self.own_values.setChecked(has_values and has_one_effect)
        if shown.effect != self._of_effect:
            self._make_parameters(shown)
        self.parameters.setVisible(has_values and has_one_effect)
        self.parameters.show_values(shown.settings)

    def _make_parameters(self, shown: EffectInstance) -> None:
        self._of_effect = shown.effect
        self._box.removeWidget(self.parameters)
        self.parameters.hide()
        self.parameters.deleteLater()
        self.parameters = ParameterRows(shown.effect, family_colour(shown.effect), can_vary=False)
        self.parameters.changed.connect(self._set_value)
        self.parameters.released.connect(self._editor.end_gesture)
        self._box.insertWidget(self._place_of_parameters, self.parameters)

    def _buttons(self) -> QWidget:
        self._toggle = button(
            "Turn off",
            "Turn the cues off, or on again (X)",
            lambda: self._apply(toggle_cues, "turning cues off or on"),
        )
        self._reset = button("Reset", "Undo every change to these cues (R)", self._reset_everything)
        return in_a_row(self._toggle, self._reset)

    def _alike_row(self) -> QWidget:
        beat = button(
            "Same beat",
            "Select all cues of the lane on this beat of their bar (B)",
            lambda: self.select_alike(on_same_beat),
        )
        section = button(
            "Same section",
            "Select all cues of the lane in this section (Shift + B)",
            lambda: self.select_alike(in_same_section),
        )
        return in_a_row(label("select"), beat, section)

    def _look_row(self, desk: CueDesk) -> QWidget:
        tips = (
            "Copy what the first of these cues is: values, shape, effect, clip and sound (Ctrl + Alt + C)",
            "Have these cues be as the one that was copied (Ctrl + Alt + V)",
            "Have all other cues of the lane be as the first of these",
        )
        copy = button("Copy", tips[0], desk.copy_look)
        paste = button("Paste", tips[1], desk.paste_look)
        spread = button("All like this", tips[2], desk.spread_look)
        return in_a_row(label("look"), copy, paste, spread)

    def _choose_accent(self, key: str) -> None:
        self._apply(partial(set_cue_accent, accent=accent_of(key)), "sound of cues")

    def _choose_clip(self, key: str) -> None:
        clip = FootageId(int(key)) if key else None
        self._editor.apply(lambda p: set_cue_clip(p, self._keys, clip), "footage of cues")

    def _own_row(self) -> QWidget:
        self.effect = choice_field(
            "Effect of this cue",
            (),
            lambda key: self._apply(partial(set_cue_effect, effect=key or None), "effect of cues"),
        )
        self.effect.setMaximumWidth(128)
        self.clip = choice_field("What this cue plays", (), self._choose_clip)
        self.clip.setMaximumWidth(128)
        self.own_shape = QPushButton("Own shape")
        self.own_shape.setToolTip("Give the cues a shape of their own, or that of their lane again")
        self.own_shape.clicked.connect(self._toggle_shape)
        self.own_values = QPushButton("Own values")
        self.own_values.setToolTip("Give the cues values of their own, or those of their lane again")
        self.own_values.clicked.connect(self._toggle_values)
        for one in (self.own_shape, self.own_values):
            one.setCheckable(True)
            one.setProperty("quiet", True)
        self._wants_values = False
        self._own_words = label("effect")
        return in_a_row(self._own_words, self.effect, self.clip, self.own_shape, self.own_values)

    def select_alike(self, alike: Callable[[Schedule, frozenset[CueKey]], frozenset[CueKey]]) -> None:
        """Select the cues that are like those that are selected."""
        keys = self._editor.selection.cues
        if keys:
            self._editor.select_cues(alike(self._editor.cues, keys), lane=self._editor.selection.lane)

    def _chosen(self) -> list[tuple[Lane, Cue]]:
        """Return the selected cues that are there with their lanes, ascending, then in the order of lanes."""
        keys = self._editor.selection.cues
        found = [
            (one.lane, cue)
            for one in self._editor.cues.lanes
            for cue in one.cues
            if (one.lane.id, cue.hit.time) in keys
        ]
        return sorted(found, key=lambda pair: pair[1].hit.time)

    def _reset_everything(self) -> None:
        self._wants_values = False
        self._apply(reset_cues, "reset of cues")

    def _toggle_shape(self, is_own: bool) -> None:
        edit = change_cue_envelope if is_own else reset_cue_envelope
        self._apply(edit, "shape of cues")

    def _toggle_values(self, is_own: bool) -> None:
        self._wants_values = is_own
        if not is_own:
            self._apply(reset_cue_settings, "values of cues")
        self.refresh()

    def _change_shape(self, changes: dict[str, object], gesture: str | None) -> None:
        self._apply(lambda p, keys: change_cue_envelope(p, keys, **changes), "shape of cues", gesture=gesture)

    def _set_value(self, setting: Setting, gesture: str | None) -> None:
        self._apply(partial(set_cue_setting, setting=setting), f"change of {setting.name}", gesture=gesture)

    def _apply(
        self,
        edit: Callable[[Project, frozenset[CueKey]], Project],
        text: str,
        *,
        gesture: str | None = None,
    ) -> None:
        keys = self._editor.selection.cues
        self._editor.apply(lambda p: edit(p, keys), text, gesture=gesture)
        self.refresh()

    def _set_strength(self, percent: float, *, gesture: str | None = None) -> None:
        strength = partial(set_cue_strength, strength=percent / 100)
        self._apply(strength, "change of strength", gesture=gesture)

    def _set_nudge(self, value: float) -> None:
        """Nudge each cue to so many frames from its hit, or as far as its neighbours let it."""
        limits = nudge_limits(self._editor.cues, self._editor.selection.cues)

        def edit(project: Project, keys: frozenset[CueKey]) -> Project:
            for key in keys:
                now = override_of(project, key).nudge
                low, high = limits.get(key, (0, 0))
                wanted = now + min(max(round(value) - now, low), high)
                project = set_cue_nudge(project, [key], wanted)
            return project

        self._apply(edit, "nudge")
