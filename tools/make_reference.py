"""Make the parts of the documentation that follow from the code: ``make docs``."""

import json
from pathlib import Path

from effects_sheet import LATER, sheet
from measure_formats import MEASURED
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
from epiphane.formats.declare import FORMATS
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


def formats_text() -> str:
    """Return the table of all formats of export, in Markdown."""
    measured = json.loads(MEASURED.read_text()) if MEASURED.exists() else {}
    lines = [
        "# Formats",
        "",
        "Made by `make docs` from the declarations in `src/epiphane/formats/`. Keys are what `--format` and",
        "presets call a format; without one the ending of the file tells it. [What goes to other programs",
        "and comes back](interchange.md).",
        "",
        "Megabytes are of a second of the demo at 1280x720 in the best quality (of a still: of one picture),",
        "seconds are of processor for it, drawing included (`python tools/measure_formats.py`).",
        "",
        "| format | key | ending | when to take it | shown by | quality | bits | clear | MB | s |",
        "|---|---|---|---|---|---|---|---|---|---|",
    ]
    for form in FORMATS.all():
        quality = form.quality
        numbers = ""
        if quality is not None:
            words = f"small {quality.small:g}, good {quality.good:g}, fine {quality.fine:g}"
            numbers = f"{quality.name} {quality.low:g}..{quality.high:g}; {words}"
        found = measured.get(form.key, {})
        cells = (
            form.label,
            f"`{form.key}`",
            ", ".join(f"`{ending}`" for ending in form.endings) or "a folder",
            form.note,
            form.plays,
            numbers,
            ", ".join(str(bits) for bits in form.bits) if len(form.bits) > 1 or form.bits[0] != 8 else "",
            "yes" if form.has_alpha else "",
            f"{found['megabytes']:g}" if found else "",
            f"{found['seconds']:g}" if found else "",
        )
        lines.append(f"| {' | '.join(cells)} |")
    return "\n".join(lines) + "\n" + _ABOUT_FORMATS


_ABOUT_FORMATS = """
## What is the same in all of them

- **Chunks.** A film is made in chunks of about five seconds, from cut to cut, each with an encoder of
  its own, and joined without encoding again. So it is the same to the byte in one process, in shares
  (`render --chunk K/N` on as many machines as you like, then `join`), or after a crash: what is ready
  waits in a hidden folder beside the film, and the next export of the same goes on there. What is
  stopped by hand leaves nothing.
- **Colours** are BT.709, and tagged so; what stores no Y'CbCr has full range. OpenEXR has linear light.
- **Bits.** Pictures are drawn in 8 bits a step. With more, the last step is done in floats, and ordered
  dithering takes what does not come out whole: a blur or a grade at the end has no bands then.
- **Clear** films (`--clear`, *over nothing*) have titles, overlays and what acts on these alone. Every
  frame is drawn over black and over white, and the difference is its alpha: straight in files, but for
  OpenEXR. Light that is added to nothing, as of sparks, is as opaque as its brightest colour.
- **Sound** is the mix at 48 kHz. Brought to a loudness (`--loudness`), it gets one gain, so that its
  integrated loudness is that by EBU R 128; where a true peak would be over -1 dB it stays below, and
  that is said.
- **Chapters** are the parts of the song, the **title** is the project's, a **poster** is a frame of it.
- GIF has whole hundredths of a second: of other rates the nearest lower one is written.
- The **size** that is told before is that of some stretches that are made to try: on the demo within a
  tenth for films, a guess for moving pictures.
"""


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
    (DOCS / "formats.md").write_text(formats_text(), encoding="utf-8")
    (DOCS / "transitions.md").write_text(transitions_text(), encoding="utf-8")
    transitions_sheet().save(DOCS / "transitions.jpg", quality=90, subsampling=0)
    (DOCS / "titles.md").write_text(titles_text(), encoding="utf-8")
    titles_sheet().save(DOCS / "titles.jpg", quality=90, subsampling=0)
    recipes_sheet().save(DOCS / "recipes.jpg", quality=90, subsampling=0)


if __name__ == "__main__":
    main()
