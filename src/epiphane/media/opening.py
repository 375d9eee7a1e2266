"""Opening media files without letting them refer to other files.

Playlists, edit lists of other files, streams and numbered sequences are formats of the decoding library
too: a file that says it is one could have any other file, or address, read in its place. So only formats
that hold their content themselves are opened.
"""

from __future__ import annotations

from pathlib import Path

import av

from epiphane.disk import open_regular

_CONTAINERS = (
    "mov mp4 matroska webm avi mpegts mpeg mxf asf flv live_flv ogg nut ivf gxf dv nsv rm swf wtv pva amv av1"
    " obu 3dostr avs film_cpk filmstrip iff idcin mv nuv ty xmv wc3movie smjpeg yuv4mpegpipe"
)
_BARE_PICTURES = (
    "h261 h263 h264 hevc vvc evc m4v mpegvideo mpeg1video mpeg2video mjpeg vc1 vc1test cavsvideo dirac dnxhd"
    " gif apng webp webp_pipe png_pipe jpeg_pipe bmp_pipe tiff_pipe j2k_pipe jpegxl_pipe jpegxl_anim qoi_pipe"
    " dpx_pipe exr_pipe hdr_pipe pam_pipe pbm_pipe pgm_pipe ppm_pipe pfm_pipe psd_pipe sgi_pipe sunrast_pipe"
    " pcx_pipe flic fits"
)
_SOUND = (
    "wav w64 aiff flac mp3 aac ac3 eac3 ac4 dts dtshd truehd mlp amr amrnb amrwb au caf ape wv tta tak mpc"
    " mpc8 voc dsf iamf loas latm oma shn aea adx qcp sox xwma gsm ircam nistsphere paf pvf rso sds svx bonk"
    " osq qoa"
)
_FORMATS = ",".join(f"{_CONTAINERS} {_BARE_PICTURES} {_SOUND}".split())
_OPTIONS = {"format_whitelist": _FORMATS, "protocol_whitelist": "file"}


def open_media(path: Path) -> av.container.InputContainer:
    """Return an open file.

    Raises
    ------
    av.FFmpegError, ValueError, OSError
        If it is nothing that can be decoded, or of a format that reads other files.
    DiskError
        If it is no regular file, or may not be read.
    """
    open_regular(path).close()
    return av.open(f"file:{path.absolute()}", metadata_errors="replace", options=_OPTIONS)
