"""One still: PNG, TIFF and JPEG."""

from epiphane.formats.declare import Format, PictureOutput, Quality, declare_format
from epiphane.media.picture_files import encoded_jpeg, encoded_png, encoded_tiff
from epiphane.wording import tr

_PLAYS = tr("everything")
declare_format(
    Format(
        "png",
        tr("PNG still"),
        (".png",),
        PictureOutput(lambda picture, _coding: encoded_png(picture), is_sequence=False),
        note=tr("One frame, nothing lost."),
        plays=_PLAYS,
        bits=(8, 16),
        has_alpha=True,
    )
)
declare_format(
    Format(
        "tiff",
        tr("TIFF still"),
        (".tif", ".tiff"),
        PictureOutput(lambda picture, _coding: encoded_tiff(picture), is_sequence=False),
        note=tr("One frame for print, nothing lost."),
        plays=tr("programs for pictures"),
        bits=(8, 16),
        has_alpha=True,
    )
)
declare_format(
    Format(
        "jpeg",
        tr("JPEG still"),
        (".jpg", ".jpeg"),
        PictureOutput(lambda picture, coding: encoded_jpeg(picture, coding.quality), is_sequence=False),
        note=tr("One frame, small: a picture that stands for the film."),
        plays=_PLAYS,
        quality=Quality(tr("JPEG quality"), 1, 100, small=75, good=88, fine=95),
    )
)
