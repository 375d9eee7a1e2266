"""Lanes that are on over spans of the song."""

from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.lane import Lane, Span
from epiphane.document.project import Project
from epiphane.document.song import Hit
from epiphane.facts.form import parts_of
from epiphane.timing import frame_at


def spans_of(project: Project, lane: Lane) -> tuple[Span, ...]:
    """Return over which spans a lane is on, ascending: its own, or else what its pick lies in.

    That is the sections of some labels, from some bar to another, or all of the song.
    """
    if lane.spans:
        return tuple(sorted(lane.spans, key=lambda span: span.start))
    length, pick = float(project.n_frames / project.rate), lane.pick
    first, end = pick.start or 0.0, length if pick.end is None else min(pick.end, length)
    wholes = [(0.0, length)]
    if pick.sections:
        sections = parts_of(project.song)
        wholes = [(one.start, one.end) for one in sections if one.label in pick.sections]
    clipped = ((max(start, first), min(stop, end)) for start, stop in wholes)
    return tuple(Span(start, stop) for start, stop in clipped if stop - start > 1e-6)


def spans_on(project: Project, lane: Lane) -> tuple[tuple[int, int], ...]:
    """Return the frames (first, end) of the spans of a lane."""
    rate = project.rate
    frames = ((frame_at(span.start, rate), frame_at(span.end, rate)) for span in spans_of(project, lane))
    return tuple((first, max(end, first + 1)) for first, end in frames)


def span_hits(project: Project, lane: Lane) -> tuple[Hit, ...]:
    """Return a hit at the start of each span of a lane."""
    return tuple(Hit(round(span.start, 6)) for span in spans_of(project, lane))


def over_span(envelope: Envelope, n_frames: int) -> Envelope:
    """Return an envelope, in frames, that is on for so many: its sides lie within, between them it holds."""
    rise, fall = envelope.rise, envelope.fall
    if rise + fall > n_frames:
        rise = float(int(rise * n_frames / (rise + fall)))
        fall = n_frames - rise
    hold = n_frames - rise - fall - (1 if fall == 0 else 0)
    return replace(envelope, rise=rise, hold=max(0.0, float(hold)), fall=fall, lead=0)
