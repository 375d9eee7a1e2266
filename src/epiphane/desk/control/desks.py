"""All that the user may do, by what it is done with."""

from dataclasses import dataclass

from epiphane.desk.control.beats import BeatDesk
from epiphane.desk.control.cues import CueDesk
from epiphane.desk.control.dressing import DressingDesk
from epiphane.desk.control.exchange import ExchangeDesk
from epiphane.desk.control.exports import ExportDesk
from epiphane.desk.control.form import FormDesk
from epiphane.desk.control.frame_shapes import ShapeDesk
from epiphane.desk.control.grading import GradeDesk
from epiphane.desk.control.instrument import Instrument
from epiphane.desk.control.lanes import LaneDesk
from epiphane.desk.control.mattes import MatteDesk
from epiphane.desk.control.moments import MomentDesk
from epiphane.desk.control.panels import PanelDesk
from epiphane.desk.control.pulses import PulseDesk
from epiphane.desk.control.recipes import RecipeDesk
from epiphane.desk.control.rough_cut import RoughCutDesk
from epiphane.desk.control.shot_time import ShotTimeDesk
from epiphane.desk.control.shots import ShotDesk
from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.control.titles import TitleDesk
from epiphane.desk.control.tracks import TrackDesk


@dataclass(frozen=True)
class Desks:
    """The commands that the bench gives."""

    cues: CueDesk
    form: FormDesk
    beats: BeatDesk
    pulses: PulseDesk
    moments: MomentDesk
    recipes: RecipeDesk
    lanes: LaneDesk
    shots: ShotDesk
    times: ShotTimeDesk
    snapping: Snapping
    shapes: ShapeDesk
    tracks: TrackDesk
    dressing: DressingDesk
    instrument: Instrument
    panels: PanelDesk
    titles: TitleDesk
    mattes: MatteDesk
    rough_cut: RoughCutDesk
    shown: ShownPicture
    grading: GradeDesk
    exchange: ExchangeDesk
    exports: ExportDesk
