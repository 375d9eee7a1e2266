"""Tooltip text for a position of the score."""

from PyQt6.QtCore import QPointF

from epiphane.desk.control.attacks import attack_distance, attack_words
from epiphane.desk.control.editor import Editor
from epiphane.desk.score.hit_testing import (
    cue_under,
    part_grip,
    shot_under,
    skipped_hit_under,
    transition_under,
)
from epiphane.desk.score.layout import Place, ScoreLayout, Strip
from epiphane.desk.score.shot_drag import WORDS, grip_under
from epiphane.document.footage import FootageKind
from epiphane.document.project import Project, find, footage_of
from epiphane.document.song import Song
from epiphane.document.timeline import FootageCut, Item
from epiphane.edits.shots.shots import footage_name
from epiphane.edits.shots.speed import speed_text
from epiphane.facts.form import part_at, part_words, parts_of
from epiphane.facts.grid import DOUBTFUL
from epiphane.facts.source_time import source_seconds
from epiphane.keying.schedule import Cue
from epiphane.keying.transition_cues import TransitionCue
from epiphane.lane_kinds import lane_kind
from epiphane.timing import clock_text, frame_at
from epiphane.wording import tr

_REACH_PIXELS = 6


def tell_place(editor: Editor, layout: ScoreLayout, place: Place, at: QPointF) -> str:
    """Return in words what is under the pointer: a cue, a hit left out, a shot, a hit, or the instant."""
    if place.lane is not None:
        lane = find(editor.project.lanes, place.lane, "lane")
        found = cue_under(editor, layout, place, lane, at.x())
        if found is not None:
            return tell_cue(editor, found[0])
        if skipped_hit_under(editor, layout, place, lane, at.x()) is not None:
            return tr("A hit that the lane leaves out; a double click takes it")
    if place.strip is Strip.PARTS:
        return tell_form(editor.project, layout, place, at.x())
    if place.strip is Strip.CUTS:
        bow = transition_under(editor, layout, place.stave, at.x())
        return "" if bow is None else tell_transition(editor.project, bow[0])
    if place.strip is Strip.SHOTS:
        told = tell_shot(editor.project, shot_under(editor.project, place.seconds), place.seconds)
        held = grip_under(editor, layout, place, at)
        return told if held is None else f"{told}\n{WORDS[held.grip].capitalize()}"
    told = tell_hit(editor, layout, place, at)
    return told or tr(
        "{seconds:.2f} s · frame {frame}",
        seconds=place.seconds,
        frame=frame_at(place.seconds, editor.project.rate),
    )


def tell_form(project: Project, layout: ScoreLayout, place: Place, x: float) -> str:
    """Return in words which part of the song, or which drop, is under the pointer, and what may be done."""
    song, grip = project.song, part_grip(project, layout, place.stave, x)
    if song is None:
        return ""
    if grip is not None and grip.drop is not None:
        whose = "" if song.has_own_drops else tr(", as it was heard")
        told = tr("Drop at {time}{whose}", time=clock_text(song.drops[grip.drop]), whose=whose)
        return tr("{told}\nDrag it from beat to beat; Delete takes it away", told=told)
    number = part_at(song, place.seconds)
    if number is None:
        return tr("No parts yet: Ctrl + U splits the song at the playhead, Shift + V puts a drop")
    part = parts_of(song)[number]
    whose = tr("set by you") if part.is_own else tr("as it was heard")
    told = f"{part_words(part)}, {clock_text(part.start)} to {clock_text(part.end)}, {whose}"
    return told if grip is None else tr("{told}\nDrag its start from bar to bar", told=told)


def tell_transition(project: Project, one: TransitionCue) -> str:
    """Return in words which transition it is, its frames, and where footage is lacking for it."""
    cut = one.cut.frame
    words = [
        one.transition.label,
        tr("cut on frame {cut}", cut=cut),
        tr("{cut} before, {end} after", cut=cut - one.first, end=one.end - cut),
    ]
    return "\n".join([" · ".join(words), *one.lacking_words(project)])


def tell_cue(editor: Editor, cue: Cue) -> str:
    """Return in words when a cue fires and how far that is from the attack, how strongly, what it changes."""
    words = [tr("hit {time:.3f} s", time=cue.hit.time), tr("peak on frame {frame}", frame=cue.frame)]
    off = attack_distance(editor.heard, cue.hit.time)
    words += [attack_words(off)] if off is not None else []
    words.append("off" if cue.is_off else tr("strength {strength:.0%}", strength=cue.strength))
    own = cue.override
    if own is not None:
        words += [tr("nudged {nudge:+d} f", nudge=own.nudge)] * bool(own.nudge)
        words += [tr("taken by hand")] * own.taken
        words += [tr("own shape")] * (own.envelope is not None)
        effect = None if own.effect is None else lane_kind(own.effect)
        words += [tr("{label} in this place", label=effect.label if effect else own.effect)] * (
            own.effect is not None
        )
        words += [tr("own values")] * bool(own.settings)
    return " · ".join(words)


def tell_shot(project: Project, shot: Item | None, seconds: float) -> str:
    """Return in words what a shot shows at an instant of the song."""
    if shot is None:
        return (
            tr("Drop clips here: each lasts to the next bar line")
            if not project.shots
            else tr("Black: no shot is here")
        )
    footage = footage_of(project, shot.footage)
    if footage is None:
        return tr("its footage is not there")
    frame = frame_at(seconds, project.rate)
    words = [footage_name(footage), tr("frame {frame}", frame=frame)]
    if footage.kind is not FootageKind.STILL:
        words.append(
            tr(
                "shows {source_seconds:.2f} s",
                source_seconds=source_seconds(shot, footage, frame, project.rate),
            )
        )
    if isinstance(shot.content, FootageCut) and shot.content.speed != 1:
        words.append(tr("speed: {speed}", speed=speed_text(shot.content.speed)))
    if shot.pin is not None:
        words.append(tr("moment on frame {frame}", frame=frame_at(shot.pin.hit, project.rate)))
    return " · ".join(words)


def tell_hit(editor: Editor, layout: ScoreLayout, place: Place, at: QPointF) -> str:
    """Return in words the beat or hit under the pointer and how far it is from its attack, or nothing."""
    song = editor.project.song
    told: tuple[str, float | None] | None = None
    if place.pulse is not None:
        told = _tell_pulse(editor, layout, place, at)
    elif song is not None:
        told = _tell_heard(song, layout, place, at)
    if told is None:
        return ""
    words, time = told
    off = None if time is None else attack_distance(editor.heard, time)
    return words if off is None else f"{words} · {attack_words(off)}"


def _tell_pulse(editor: Editor, layout: ScoreLayout, place: Place, at: QPointF) -> tuple[str, float | None]:
    """Return in words the hit of a pulse under the pointer and its time, or how many hits it has."""
    pulse = next(one for one in editor.project.pulses if one.id == place.pulse)
    hits = editor.hits_of(pulse)
    hit = min(hits, key=lambda one: abs(one.time - place.seconds), default=None)
    if hit is None or abs(layout.x_at(place.stave, hit.time) - at.x()) > _REACH_PIXELS:
        return tr("{name}: {count} hits", name=pulse.name, count=len(hits)), None
    return tr(
        "{name} {time:.3f} s · strength {strength:.0%}", name=pulse.name, time=hit.time, strength=hit.strength
    ), hit.time


def _tell_heard(song: Song, layout: ScoreLayout, place: Place, at: QPointF) -> tuple[str, float] | None:
    """Return in words the drum hit or the beat that lies under the pointer, and its time; or None."""
    stave = place.stave
    if place.drum is not None:
        drum = place.drum.value
        hits = song.drums.hits(drum)
        hit = min(hits, key=lambda one: abs(one.time - place.seconds), default=None)
        if hit is not None and abs(layout.x_at(stave, hit.time) - at.x()) < _REACH_PIXELS:
            name = (
                tr("{stand_in} hit", stand_in=song.drums.stand_in(drum))
                if song.drums.stand_in(drum)
                else drum
            )
            return tr(
                "{name} {time:.3f} s · strength {strength:.0%}",
                name=name,
                time=hit.time,
                strength=hit.strength,
            ), hit.time
    number = beat_at(song, layout, place, at.x())
    if number is None:
        return None
    beat = song.beats[number]
    doubt = " · doubtful" if beat.confidence < DOUBTFUL else ""
    words = tr(
        "beat {place} of the bar · {time:.3f} s · {confidence:.0%} sure{doubt}",
        place=beat.place,
        time=beat.time,
        confidence=beat.confidence,
        doubt=doubt,
    )
    return words, beat.time


def beat_at(song: Song, layout: ScoreLayout, place: Place, x: float) -> int | None:
    """Return the number of the beat whose mark on the ruler is under the pointer, or None."""
    if place.strip is not Strip.RULER or not song.beats:
        return None
    number = min(range(len(song.beats)), key=lambda index: abs(song.beats[index].time - place.seconds))
    is_near = abs(layout.x_at(place.stave, song.beats[number].time) - x) < _REACH_PIXELS
    return number if is_near else None
