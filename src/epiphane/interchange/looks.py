"""The grade over a whole film as a table of colours, or as a colour decision list."""

from epiphane.interchange.declare import Interchange, declare_interchange
from epiphane.render.film_grade import look_text
from epiphane.wording import tr

declare_interchange(
    Interchange(
        "cube",
        tr("Colour table (.cube)"),
        (".cube",),
        tr("the grade that is on over the whole film, at 33 points a side"),
        lambda project: look_text(project, ".cube").encode(),
    )
)
declare_interchange(
    Interchange(
        "cdl",
        tr("Colour decision (.cdl)"),
        (".cdl",),
        tr("slope, offset, power and saturation of that grade, where it is no more than these"),
        lambda project: look_text(project, ".cdl").encode(),
    )
)
