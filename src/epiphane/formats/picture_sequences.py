"""Sequences of pictures: PNG, TIFF and OpenEXR, a file for each frame, in a folder."""

from epiphane.formats.declare import Format, PictureOutput, declare_format
from epiphane.media.picture_files import encoded_exr, encoded_png, encoded_tiff
from epiphane.wording import tr

_PLAYS = tr("programs for compositing and for pictures")
declare_format(
    Format(
        "png-sequence",
        tr("PNG sequence"),
        (),
        PictureOutput(lambda picture, _coding: encoded_png(picture)),
        note=tr("A picture a frame, nothing lost, for any program."),
        plays=_PLAYS,
        bits=(8, 16),
        has_alpha=True,
    )
)
declare_format(
    Format(
        "tiff-sequence",
        tr("TIFF sequence"),
        (),
        PictureOutput(lambda picture, _coding: encoded_tiff(picture)),
        note=tr("As PNG, for programs that read it more quickly."),
        plays=_PLAYS,
        bits=(8, 16),
        has_alpha=True,
    )
)
declare_format(
    Format(
        "exr-sequence",
        tr("OpenEXR sequence"),
        (),
        PictureOutput(lambda picture, _coding: encoded_exr(picture)),
        note=tr("Linear light in floats, for compositing."),
        plays=tr("programs for compositing"),
        bits=(32,),
        has_alpha=True,
    )
)
