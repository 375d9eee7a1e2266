"""Make the parts of the documentation that follow from the code: ``make docs``."""

import json
from pathlib import Path

from effects_sheet import LATER, sheet
from recipes_sheet import recipes_sheet
from titles_sheet import ARRIVED, titles_sheet
from transitions_sheet import SHARES, transitions_sheet

from epiphane.declare.parameters import (
    AnyParameter,
    ChoiceParameter,
    ColourParameter,
    CurveParameter,
    FileParameter,
)
from epiphane.effects.declare import EFFECTS
from epiphane.files.project import json_schema
from epiphane.media.faces import shipped_faces
from epiphane.titles.motions.declare import MOTIONS
from epiphane.transitions.declare import TRANSITIONS

DOCS = Path(__file__).parent.parent / "docs"


def schema_text() -> str:
    """Return the JSON Schema of a project file."""
    return json.dumps(json_schema(), indent=1) + "\n"


def effects_text() -> str:
    """Return the table of all effects and their parameters, in Markdown."""
    lines = [
        "# Effects",
        "",
        "Made by `make docs` from the effects' declarations in `src/epiphane/effects/`. Keys are what",
        "project files and `--lane` call an effect or parameter.",
        "",
        f"Each as it is declared, on its hit and {LATER[1]} and {LATER[2]} frames later:",
        "",
        "![All effects, three frames each](effects.jpg)",
    ]
    for effect in EFFECTS.all():
        lines += ["", f"## {effect.label} (`{effect.key}`, {effect.family.value})", "", effect.summary, ""]
        lines += ["| parameter | key | values | at rest | at the peak |", "|---|---|---|---|---|"]
        lines += [_row(parameter) for parameter in effect.parameters]
    return "\n".join(lines) + "\n"


def transitions_text() -> str:
    """Return the table of all transitions and their parameters, in Markdown."""
    lines = [
        "# Transitions",
        "",
        "Made by `make docs` from the declarations in `src/epiphane/transitions/`. Keys are what project",
        "files and `--lane` call a transition or parameter. Of a number the value at rest is that of a cue",
        "of no strength, the one at the peak that of full strength. [What can be done with them](layers.md).",
        "",
        f"Each as it is declared, at {', '.join(f'{share:.0%}' for share in SHARES)} of its way:",
        "",
        "![All transitions, three frames each](transitions.jpg)",
    ]
    for one in TRANSITIONS.all():
        frames = f"{one.envelope.rise:g} frames before the cut, {one.envelope.fall:g} after it"
        lines += ["", f"## {one.label} (`{one.key}`, {one.family.value})", "", one.summary, ""]
        lines += [f"At first {frames}.", ""]
        if one.parameters:
            lines += ["| parameter | key | values | at rest | at the peak |", "|---|---|---|---|---|"]
            lines += [_row(parameter) for parameter in one.parameters]
        else:
            lines.pop()
    return "\n".join(lines) + "\n"


def titles_text() -> str:
    """Return the list of shipped faces, and the table of how text arrives and leaves, in Markdown."""
    lines = [
        "# Faces and motions of text",
        "",
        "Made by `make docs` from the declarations in `src/epiphane/titles/motions/`. Keys are what project",
        "files call a motion; each is a way to arrive, and, backwards, to leave.",
        "[What can be done with text](layers.md#text).",
        "",
        f"Shipped faces: {', '.join(shipped_faces())}. The last three show Arabic, Hebrew and emoji for the",
        "others. Their licences are beside them in `src/epiphane/assets/faces/`.",
        "",
        f"Each as it is declared, at {', '.join(f'{share:.0%}' for share in ARRIVED)} of its way:",
        "",
        "![All motions of text, three frames each](titles.jpg)",
        "",
        "| motion | key | what the text does | frames | moves by | stagger |",
        "|---|---|---|---|---|---|",
    ]
    lines += [
        f"| {one.label} | `{one.key}` | {one.summary} | {one.frames} | {one.unit.value} | {one.stagger:.0%} |"
        for one in MOTIONS.all()
    ]
    return "\n".join(lines) + "\n"


def _row(parameter: AnyParameter) -> str:
    if isinstance(parameter, ColourParameter):
        cells = ("a colour, `#rrggbb`", "", f"`{parameter.default}`")
    elif isinstance(parameter, FileParameter):
        cells = (f"a file in {' '.join(parameter.suffixes)}", "", "none")
    elif isinstance(parameter, CurveParameter):
        cells = (f"a curve over {parameter.across.value}", "straight", "straight")
    elif isinstance(parameter, ChoiceParameter):
        cells = (", ".join(f"`{option}`" for option in parameter.options), "", f"`{parameter.default}`")
    else:
        values = f"{parameter.low:g} to {parameter.high:g} {parameter.unit}"
        cells = (values, f"{parameter.rest:g}", f"{parameter.peak:g}")
    return f"| {parameter.label} | `{parameter.name}` | " + " | ".join(cells) + " |"


def main() -> None:
    """Write all of them."""
    (DOCS / "project.schema.json").write_text(schema_text(), encoding="utf-8")
    (DOCS / "effects.md").write_text(effects_text(), encoding="utf-8")
    sheet().save(DOCS / "effects.jpg", quality=90, subsampling=0)
    (DOCS / "transitions.md").write_text(transitions_text(), encoding="utf-8")
    transitions_sheet().save(DOCS / "transitions.jpg", quality=90, subsampling=0)
    (DOCS / "titles.md").write_text(titles_text(), encoding="utf-8")
    titles_sheet().save(DOCS / "titles.jpg", quality=90, subsampling=0)
    recipes_sheet().save(DOCS / "recipes.jpg", quality=90, subsampling=0)


if __name__ == "__main__":
    main()
