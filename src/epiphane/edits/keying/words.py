"""Edits of lanes that show words on hits."""

from msgspec.structs import replace

from epiphane.document.envelope import Ease, Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane
from epiphane.document.project import Project, find, with_lanes
from epiphane.document.titles import Shadow, TextFill
from epiphane.edits.checked import with_changes
from epiphane.edits.keying.lanes import add_lane
from epiphane.errors import EditError
from epiphane.wording import tr

WORDS_KEY = "words"
FRESH_WORDS = TextFill("ROLL DROP\nTURN LAND", size=0.3, shadow=Shadow())
"""What a new lane of words shows."""
WORDS_ENVELOPE = Envelope(2, 10, 4, Ease.LINEAR, Ease.LINEAR)


def add_words_lane(project: Project, pulse: PulseId, words: TextFill = FRESH_WORDS) -> Project:
    """Return `project` with a further lane that shows words, one at each hit of a pulse.

    Raises
    ------
    EditError
        If there is no such pulse.
    """
    project = add_lane(project, WORDS_KEY, pulse, envelope=WORDS_ENVELOPE)
    lane = replace(project.lanes[-1], words=words)
    return with_lanes(project, (*project.lanes[:-1], lane))


def change_words(project: Project, lane_id: LaneId, **changes: object) -> Project:
    """Return `project` with fields of the words of a lane changed, e.g. ``text="one two"``.

    Raises
    ------
    EditError
        If it is no lane of words, or a value is out of range.
    """
    lane: Lane = find(project.lanes, lane_id, "lane")
    if lane.words is None:
        raise EditError(tr("this lane shows no words"))
    made = replace(lane, words=with_changes(lane.words, **changes))
    return with_lanes(project, (made if one.id == lane_id else one for one in project.lanes))
