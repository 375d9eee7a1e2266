"""The bench page of selected cues: strength, nudge, and what each has of its own."""

from collections.abc import Callable
from functools import partial

from msgspec import Struct
from PyQt6.QtWidgets import QWidget

from epiphane.desk.bench.keying.envelope_rows import EnvelopeRows
from epiphane.desk.bench.keying.parameters import ParameterRows
from epiphane.desk.bench.options import accent_key, accent_of, accent_options, clip_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.cues import CueDesk
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, in_a_row, label, wrapped
from epiphane.desk.look.lanes import family_colour
from epiphane.document.ids import FootageId
from epiphane.document.lane import EffectInstance, Lane, Override, Setting
from epiphane.document.project import Project
from epiphane.edits.keying.cues import (
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
from epiphane.edits.keying.overlays import set_cue_clip
from epiphane.facts.grid import usual_beat_frames
from epiphane.keying.copying import in_same_section, on_same_beat
from epiphane.keying.neighbours import nudge_limits
from epiphane.keying.schedule import Cue, Schedule
from epiphane.keying.varying import overridden
from epiphane.lane_kinds import OVERLAY, alike, lane_kind
from epiphane.wording import tr


class _Chosen(Struct, frozen=True):
    """The selected cues that are there, each with its lane, ascending.

    Attributes
    ----------
    override : what the first of them has of its own
    shown : the effect of the first, with its values
    """

    cues: tuple[tuple[Lane, Cue], ...]
    override: Override
    shown: EffectInstance

    @property
    def lane(self) -> Lane:
        """The lane of the first."""
        return self.cues[0][0]

    @property
    def first(self) -> Cue:
        """The first cue."""
        return self.cues[0][1]

    @property
    def is_of_overlay(self) -> bool:
        """Whether the first plays footage over the film."""
        return lane_kind(self.lane.effect) is OVERLAY

    @property
    def has_one_effect(self) -> bool:
        """Whether all of them have the same effect."""
        return len({(cue.override and cue.override.effect) or lane.effect for lane, cue in self.cues}) == 1


class CueBench(BenchPage[_Chosen]):
    """The selected cues: off or on, weaker or stronger, nudged, with a shape, values or effect of their own.

    What is shown is that of the first; what is changed is changed of all.
    """

    def __init__(self, editor: Editor, desk: CueDesk) -> None:
        super().__init__(editor, spacing=8)
        self._of_effect = ""
        self._keys: frozenset[CueKey] = frozenset()
        self._wants_values = False
        self.parameters = ParameterRows("", theme.TEXT, can_vary=False)
        self._what = wrapped("")
        self._what.setFont(theme.numbers(9.5))
        self.shows(lambda chosen: self._what.setText(self._told(chosen)))
        self.add(self._what, self._buttons(), self._alike_row(), self._look_row(desk))
        bar, self.strength = self.amount(
            tr("Strength"),
            lambda chosen: 1.0 if chosen.override.strength is None else chosen.override.strength,
            self._set_strength,
            of=(Override, "strength"),
            colour=theme.TEXT,
            released=editor.end_gesture,
        )
        self.row(tr("Strength"), bar, self.strength)
        self.nudge = self.number(
            tr("Nudge"),
            lambda chosen: chosen.override.nudge,
            self._set_nudge,
            limits=(Override, "nudge"),
            unit="f",
        )
        self.row(tr("Nudge"), self.nudge, label(tr("Alt ← →")))
        self.rule()
        self._add_own_row()
        sound = self.choice(
            tr("Sound of these cues"),
            lambda _: accent_options(editor.project, tr("same as lane")),
            lambda chosen: accent_key(chosen.override.accent),
            self._choose_accent,
        )
        self.row(tr("Sound"), sound)
        self.envelope = EnvelopeRows()
        self.envelope.changed.connect(self._change_shape)
        self.envelope.released.connect(editor.end_gesture)
        self.add(self.envelope, when=lambda chosen: chosen.override.envelope is not None)
        self.shows(self._show_shape)
        self._place_of_parameters = self.column.count()
        self.shows(self._show_values)
        self.end()
        self.refresh()

    def thing(self) -> _Chosen | None:
        """Return the selected cues that are there, in the order of lanes where they fall together."""
        keys = self.editor.selection.cues
        found = [
            (one.lane, cue)
            for one in self.editor.cues.lanes
            for cue in one.cues
            if (one.lane.id, cue.hit.time) in keys
        ]
        if not found:
            return None
        found.sort(key=lambda pair: pair[1].hit.time)
        lane, first = found[0]
        override = first.override or Override(first.hit.time)
        return _Chosen(tuple(found), override, overridden(lane.instance, override))

    def refresh(self) -> None:
        """Show the cues as they are now."""
        if self.editor.selection.cues != self._keys:
            self._keys, self._wants_values = self.editor.selection.cues, False
        if self.thing() is None:
            self._what.setText(tr("The hits of these cues are not there at the moment."))
        super().refresh()

    def _told(self, chosen: _Chosen) -> str:
        first, last = chosen.first, chosen.cues[-1][1]
        if len(chosen.cues) == 1:
            told = tr("hit at {time:.3f} s, peak on frame {frame}", time=first.hit.time, frame=first.frame)
        else:
            told = tr(
                "{count} cues, frames {frame} to {end}",
                count=len(chosen.cues),
                frame=first.frame,
                end=last.frame,
            )
        lacking = [
            words
            for one in self.editor.cues.transitions
            if (one.lane, one.cue.hit.time) in self._keys
            for words in one.lacking_words(self.editor.project)
        ]
        return "\n".join([told, *lacking[:2]])

    def _buttons(self) -> QWidget:
        tip = tr("Turn the cues off, or on again (X)")
        toggle = button(tr("Turn off"), tip, lambda: self._apply(toggle_cues, tr("turning cues off or on")))
        reset = button(tr("Reset"), tr("Undo every change to these cues (R)"), self._reset_everything)

        def show(chosen: _Chosen) -> None:
            toggle.setText(tr("Turn on") if all(cue.is_off for _, cue in chosen.cues) else tr("Turn off"))
            reset.setEnabled(any(cue.override is not None for _, cue in chosen.cues))

        self.shows(show)
        return in_a_row(toggle, reset)

    def _alike_row(self) -> QWidget:
        tips = (
            tr("Select all cues of the lane on this beat of their bar (B)"),
            tr("Select all cues of the lane in this section (Shift + B)"),
        )
        beat = button(tr("Same beat"), tips[0], lambda: self.select_alike(on_same_beat))
        section = button(tr("Same section"), tips[1], lambda: self.select_alike(in_same_section))
        return in_a_row(label(tr("select")), beat, section)

    def _look_row(self, desk: CueDesk) -> QWidget:
        tips = (
            tr(
                "Copy what the first of these cues is: values, shape, effect, clip and sound (Ctrl + Alt + C)"
            ),
            tr("Have these cues be as the one that was copied (Ctrl + Alt + V)"),
            tr("Have all other cues of the lane be as the first of these"),
        )
        copy = button(tr("Copy"), tips[0], desk.copy_look)
        paste = button(tr("Paste"), tips[1], desk.paste_look)
        spread = button(tr("All like this"), tips[2], desk.spread_look)
        return in_a_row(label(tr("look")), copy, paste, spread)

    def _add_own_row(self) -> None:
        """Add what the cues may have of their own: an effect or a clip, a shape, values."""
        effect = self.choice(
            tr("Effect of this cue"),
            _effect_options,
            lambda chosen: chosen.override.effect or "",
            self._choose_effect,
        )
        clip = self.choice(
            tr("What this cue plays"),
            lambda _: [("", tr("same as lane")), *clip_options(self.editor.project)],
            lambda chosen: "" if chosen.override.clip is None else str(chosen.override.clip),
            self._choose_clip,
        )
        for field in (effect, clip):
            field.setMaximumWidth(128)
        words = label(tr("effect"))
        self.shows(lambda chosen: words.setText(tr("plays") if chosen.is_of_overlay else tr("effect")))
        self.seen(lambda chosen: chosen.is_of_overlay, clip)
        self.seen(lambda chosen: not chosen.is_of_overlay, effect)
        self.own_shape = self.switch(
            tr("Own shape"),
            tr("Give the cues a shape of their own, or that of their lane again"),
            lambda chosen: chosen.override.envelope is not None,
            self._toggle_shape,
        )
        self.own_values = self.switch(
            tr("Own values"),
            tr("Give the cues values of their own, or those of their lane again"),
            self._has_values,
            self._toggle_values,
        )
        self.enabled(lambda chosen: chosen.has_one_effect, self.own_values)
        self.add(in_a_row(words, effect, clip, self.own_shape, self.own_values))

    def _has_values(self, chosen: _Chosen) -> bool:
        """Whether values of their own are shown: only where all have the same effect."""
        return chosen.has_one_effect and (bool(chosen.override.settings) or self._wants_values)

    def _show_shape(self, chosen: _Chosen) -> None:
        effect, lane = chosen.shown.effect, chosen.lane
        self.envelope.speak_of(effect)
        envelope, beat_frames = chosen.override.envelope, usual_beat_frames(self.editor.project, lane)
        self.envelope.show_envelope(envelope or lane.envelope, family_colour(effect), beat_frames)

    def _show_values(self, chosen: _Chosen) -> None:
        """Show the values of the first, in rows that are made anew for another effect."""
        effect = chosen.shown.effect
        if effect != self._of_effect:
            self._of_effect = effect
            self.column.removeWidget(self.parameters)
            self.parameters.hide()
            self.parameters.deleteLater()
            self.parameters = ParameterRows(effect, family_colour(effect), can_vary=False)
            self.parameters.changed.connect(self._set_value)
            self.parameters.released.connect(self.editor.end_gesture)
            self.column.insertWidget(self._place_of_parameters, self.parameters)
        self.parameters.setVisible(self._has_values(chosen))
        self.parameters.show_thing(chosen.shown.settings)

    def select_alike(self, alike: Callable[[Schedule, frozenset[CueKey]], frozenset[CueKey]]) -> None:
        """Select the cues that are like those that are selected."""
        keys = self.editor.selection.cues
        if keys:
            self.editor.select_cues(alike(self.editor.cues, keys), lane=self.editor.selection.lane)

    def _reset_everything(self) -> None:
        self._wants_values = False
        self._apply(reset_cues, tr("reset of cues"))

    def _choose_accent(self, key: str) -> None:
        self._apply(partial(set_cue_accent, accent=accent_of(key)), tr("sound of cues"))

    def _choose_effect(self, key: str) -> None:
        self._apply(partial(set_cue_effect, effect=key or None), tr("effect of cues"))

    def _choose_clip(self, key: str) -> None:
        clip = FootageId(int(key)) if key else None
        self.editor.apply(lambda p: set_cue_clip(p, self._keys, clip), tr("footage of cues"))

    def _toggle_shape(self, is_own: bool) -> None:
        edit = change_cue_envelope if is_own else reset_cue_envelope
        self._apply(edit, tr("shape of cues"))

    def _toggle_values(self, is_own: bool) -> None:
        self._wants_values = is_own
        if not is_own:
            self._apply(reset_cue_settings, tr("values of cues"))
        self.refresh()

    def _change_shape(self, changes: dict[str, object], gesture: str | None) -> None:
        self._apply(
            lambda p, keys: change_cue_envelope(p, keys, **changes), tr("shape of cues"), gesture=gesture
        )

    def _set_value(self, setting: Setting, gesture: str | None) -> None:
        self._apply(
            partial(set_cue_setting, setting=setting),
            tr("change of {name}", name=setting.name),
            gesture=gesture,
        )

    def _apply(
        self,
        edit: Callable[[Project, frozenset[CueKey]], Project],
        text: str,
        *,
        gesture: str | None = None,
    ) -> None:
        keys = self.editor.selection.cues
        self.editor.apply(lambda p: edit(p, keys), text, gesture=gesture)
        self.refresh()

    def _set_strength(self, strength: float, *, gesture: str | None = None) -> None:
        self._apply(partial(set_cue_strength, strength=strength), tr("change of strength"), gesture=gesture)

    def _set_nudge(self, value: float) -> None:
        """Nudge each cue to so many frames from its hit, or as far as its neighbours let it."""
        limits = nudge_limits(self.editor.cues, self.editor.selection.cues)

        def edit(project: Project, keys: frozenset[CueKey]) -> Project:
            for key in keys:
                now = override_of(project, key).nudge
                low, high = limits.get(key, (0, 0))
                wanted = now + min(max(round(value) - now, low), high)
                project = set_cue_nudge(project, [key], wanted)
            return project

        self._apply(edit, "nudge")


def _effect_options(chosen: _Chosen) -> list[tuple[str, str]]:
    own = chosen.override.effect
    options = [("", tr("same as lane")), *((one.key, one.label) for one in alike(chosen.lane.effect))]
    return (
        [*options, (own, tr("{own} (missing)", own=own))]
        if own is not None and lane_kind(own) is None
        else options
    )
