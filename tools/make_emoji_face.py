"""Make the shipped face of colour emoji of the whole one, without its table of drawings.

usage: python tools/make_emoji_face.py NotoColorEmoji_400Regular.ttf

The table of SVG drawings takes four fifths of the file, and says what that of painted layers (COLR) does.
"""

import struct
import sys
from pathlib import Path

from epiphane.assets import FACES


def without_table(face: bytes, tag: bytes) -> bytes:
    """Return a TrueType file without one of its tables."""
    (n_tables,) = struct.unpack(">H", face[4:6])
    records = [struct.unpack(">4sIII", face[12 + 16 * n : 28 + 16 * n]) for n in range(n_tables)]
    kept = [one for one in records if one[0] != tag]
    power = len(kept).bit_length() - 1
    head = face[:4] + struct.pack(">HHHH", len(kept), 16 << power, power, 16 * (len(kept) - (1 << power)))
    offset, directory, tables = 12 + 16 * len(kept), b"", b""
    for name, checksum, start, length in kept:
        directory += struct.pack(">4sIII", name, checksum, offset + len(tables), length)
        tables += face[start : start + length] + b"\0" * (-length % 4)
    return head + directory + tables


if __name__ == "__main__":
    whole = Path(sys.argv[1]).read_bytes()
    (FACES / "Noto Color Emoji.ttf").write_bytes(without_table(whole, b"SVG "))
