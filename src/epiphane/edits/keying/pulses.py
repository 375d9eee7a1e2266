"""Edits of pulses: where hits come from, and which of them are kept."""

from msgspec.structs import replace

from epiphane.document.ids import PulseId
from epiphane.document.laws import DEEPEST_BLEND, blend_depths
from epiphane.document.project import Project, find
from epiphane.document.pulse import (
    BandSource,
    CombinedSource,
    HeardSource,
    Pulse,
    PulseUnit,
    Source,
    TappedSource,
)
from epiphane.document.song import Hit
from epiphane.edits.checked import checked
from epiphane.edits.keying.sources import pulse_name, source_name
from epiphane.errors import EditError
from epiphane.wording import tr


def add_pulse(project: Project, source: Source, *, name: str = "") -> tuple[Project, PulseId]:
    """Return `project` with a further pulse, and its id; without a name it is called after its source.

    Raises
    ------
    EditError
        If the source names a pulse that is not there, or a value is outside its range.
    """
    _check_source(project, source, None)
    made = Pulse(PulseId(project.next_id), "", source)
    made = checked(
        replace(made, name=unused_name(project, name.strip() or source_name(project, source))), Pulse
    )
    return replace(project, pulses=(*project.pulses, made), next_id=project.next_id + 1), made.id


def change_pulse(project: Project, pulse_id: PulseId, **changes: object) -> Project:
    """Return `project` with fields of a pulse changed, e.g. ``keep=0.5`` or ``source=...``.

    Raises
    ------
    EditError
        If there is no such pulse, a value is outside its range, the name is empty or another pulse's, or
        the pulse would be made of itself.
    """
    old = find(project.pulses, pulse_id, "pulse")
    new = checked(replace(old, **changes), Pulse)
    if new.name == old.name == source_name(project, old.source):  # nobody has called it otherwise
        others = replace(project, pulses=tuple(pulse for pulse in project.pulses if pulse is not old))
        new = replace(new, name=unused_name(others, source_name(project, new.source)))
    if not new.name.strip():
        raise EditError(tr("a pulse needs a name."))
    if any(pulse.name == new.name for pulse in project.pulses if pulse is not old):
        raise EditError(tr("there is a pulse called {name} already.", name=new.name))
    if not 0 <= new.first < new.every:
        raise EditError(
            tr(
                "the first of every {every} must be 0..{every2}, got {first}",
                every=new.every,
                every2=new.every - 1,
                first=new.first,
            )
        )
    _check_source(project, new.source, pulse_id)
    return replace(project, pulses=tuple(new if pulse is old else pulse for pulse in project.pulses))


def remove_pulse(project: Project, pulse_id: PulseId) -> Project:
    """Return `project` without a pulse; lanes that it fired stay, and fire nothing until they get another."""
    find(project.pulses, pulse_id, "pulse")
    return replace(project, pulses=tuple(pulse for pulse in project.pulses if pulse.id != pulse_id))


def users_of(project: Project, pulse_id: PulseId) -> tuple[int, int]:
    """Return how many lanes a pulse fires, and how many other pulses are made of it."""
    n_lanes = sum(lane.pulse == pulse_id for lane in project.lanes)
    n_pulses = sum(
        isinstance(pulse.source, CombinedSource) and pulse_id in (pulse.source.one, pulse.source.other)
        for pulse in project.pulses
    )
    return n_lanes, n_pulses


def set_band(project: Project, pulse_id: PulseId, source: BandSource) -> Project:
    """Return `project` with the band of a pulse and the hits found in it.

    Raises
    ------
    EditError
        If the pulse has no band, or the band has no width.
    """
    if not isinstance(find(project.pulses, pulse_id, "pulse").source, BandSource):
        raise EditError(tr("this pulse is not taken from a band."))
    return change_pulse(project, pulse_id, source=source)


def add_taps(project: Project, pulse_id: PulseId, taps: tuple[Hit, ...], *, apart: float = 0.05) -> Project:
    """Return `project` with more taps in a tapped pulse; of two closer than `apart` seconds the first stays.

    Raises
    ------
    EditError
        If the pulse is not a tapped one.
    """
    source = find(project.pulses, pulse_id, "pulse").source
    if not isinstance(source, TappedSource):
        raise EditError(tr("this pulse is not a tapped one."))
    end = float(project.n_frames / project.rate)
    kept: list[Hit] = []
    for hit in sorted((*source.hits, *taps), key=lambda hit: hit.time):
        if 0 <= hit.time <= end and (not kept or hit.time - kept[-1].time >= apart):
            kept.append(hit)
    return change_pulse(project, pulse_id, source=replace(source, hits=tuple(kept)))


def ensure_pulse(
    project: Project, unit: PulseUnit, *, every: int = 1, first: int = 0
) -> tuple[Project, PulseId]:
    """Return `project` with a pulse from the grid, and its id; one that is there is used again.

    Raises
    ------
    EditError
        If `every` is not within 1..64 or `first` not within 0..every-1.
    """
    if not 1 <= every <= 64:
        raise EditError(tr("every Nth: N must be 1..64, got {every}", every=every))
    if not 0 <= first < every:
        raise EditError(
            tr(
                "the first of every {every} must be 0..{every2}, got {first}",
                every=every,
                every2=every - 1,
                first=first,
            )
        )
    for pulse in project.pulses:
        if (pulse.unit, pulse.every, pulse.first, pulse.keep) == (unit, every, first, 1.0):
            return project, pulse.id
    name = unused_name(project, pulse_name(unit, every))
    made = Pulse(PulseId(project.next_id), name, HeardSource(unit), every, first)
    return replace(project, pulses=(*project.pulses, made), next_id=project.next_id + 1), made.id


def unused_name(project: Project, name: str) -> str:
    """Return a name that no pulse of a project has yet: the same, or with a number."""
    names = {pulse.name for pulse in project.pulses}
    if name not in names:
        return name
    return next(f"{name} {number}" for number in range(2, len(names) + 3) if f"{name} {number}" not in names)


def _check_source(project: Project, source: Source, pulse_id: PulseId | None) -> None:
    if isinstance(source, BandSource) and source.high <= source.low:
        raise EditError(
            tr(
                "a band must have a width: {low:.0f} to {high:.0f} Hz has none.",
                low=source.low,
                high=source.high,
            )
        )
    if isinstance(source, CombinedSource):
        for made_of in (source.one, source.other):
            find(project.pulses, made_of, "pulse")
        number = PulseId(project.next_id) if pulse_id is None else pulse_id
        others = tuple(pulse for pulse in project.pulses if pulse.id != number)
        depths = blend_depths(replace(project, pulses=(*others, Pulse(number, "", source))))
        if depths[number] is None:
            raise EditError(tr("a pulse cannot be made of itself."))
        if any(depth is not None and depth > DEEPEST_BLEND for depth in depths.values()):
            raise EditError(
                tr(
                    "no more than {most} pulses can be made of one another.",
                    most=DEEPEST_BLEND,
                )
            )
