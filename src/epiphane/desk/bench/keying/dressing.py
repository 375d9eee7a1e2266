"""The bench page of dressing: how dense, by which chance, and from which recipes each part of the song."""

from functools import partial

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.dressing import DressingDesk
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, in_a_row
from epiphane.document.dressing import Dressing, Mood
from epiphane.document.project import Project
from epiphane.wording import tr

_WORDS = {
    Mood.OPENING: tr("The opening"),
    Mood.CALM: tr("Calm parts"),
    Mood.BUILD: tr("Builds"),
    Mood.FULL: tr("Full parts"),
    Mood.DROP: tr("After a drop"),
    Mood.ENDING: tr("The ending"),
}


class DressingBench(BenchPage[Project]):
    """How the song is dressed with effects and transitions."""

    def __init__(self, editor: Editor, dressing: DressingDesk) -> None:
        super().__init__(editor, spacing=8)
        fields = self.fields(
            Dressing, dressing.change, lambda project: project.dressing, released=editor.end_gesture
        )
        again = button(tr("Dress again"), tr("Dress the song with another seed (Ctrl + D)"), dressing.again)
        undress = button(tr("Undress"), tr("Take the lanes of the dressing away"), dressing.undress)
        cuts = fields.check(
            "has_transitions", tr("transitions at the cuts"), tr("Let the cuts have transitions")
        )
        bar = fields.bar("density", tr("From sparse to dense"), theme.TEXT)
        self.add(self.told(_told), in_a_row(again, undress, spacing=6))
        self.row(tr("Density"), bar, fields.number("density", tr("Density"), "%", factor=100))
        self.row(tr("Seed"), fields.number("seed", tr("Seed of the dressing")), cuts)
        self.rule()
        for mood, words in _WORDS.items():
            recipes = self.checks_button(
                tr("Recipes for {words}", words=words.lower()),
                tr("nothing"),
                lambda _: [(name, name) for name in dressing.recipe_names],
                partial(_recipes_of, mood),
                partial(dressing.choose, mood),
                width=280,
            )
            self.row(words, recipes)
        self.end()

    def thing(self) -> Project:
        """Return the project."""
        return self.editor.project


def _told(project: Project) -> str:
    n_dressed = sum(lane.is_dressed for lane in project.lanes)
    if n_dressed == 0:
        return tr("The song is not dressed.")
    return tr(
        "{n_dressed} lanes dress the song. Each is a lane as any other; one that is locked stays.",
        n_dressed=n_dressed,
    )


def _recipes_of(mood: Mood, project: Project) -> tuple[str, ...]:
    return project.dressing.of(mood)
