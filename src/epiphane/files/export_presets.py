"""Presets of exports: those that are shipped, and those that the user keeps in one file."""

from fractions import Fraction
from pathlib import Path
from typing import Self

import msgspec
import platformdirs
from msgspec import Struct

from epiphane.disk import is_file, read_file, write_atomically
from epiphane.errors import DiskError, ParameterError
from epiphane.files.rates import decode_rate
from epiphane.formats.settings import ExportPreset, shipped_presets
from epiphane.wording import tr

PRESETS_VERSION = 1
_MOST_BYTES = 1 << 20


class _Kept(Struct, frozen=True, forbid_unknown_fields=True):
    version: int = PRESETS_VERSION
    presets: tuple[ExportPreset, ...] = ()


class PresetBook:
    """The presets there are by their names; the user's own are kept in a file.

    Parameters
    ----------
    file : Path
    """

    def __init__(self, file: Path) -> None:
        self._file = file

    @classmethod
    def of_user(cls) -> Self:
        """Return those of this user."""
        return cls(Path(platformdirs.user_data_dir("epiphane")) / "export-presets.json")

    def own(self) -> tuple[ExportPreset, ...]:
        """Return the user's own presets.

        Raises
        ------
        DiskError
            If their file cannot be read, is damaged or of a later version.
        """
        if not is_file(self._file):
            return ()
        content = read_file(self._file, most_bytes=_MOST_BYTES)
        try:
            raw = msgspec.json.decode(content)
            if (
                isinstance(raw, dict)
                and isinstance(raw.get("version"), int)
                and raw["version"] > PRESETS_VERSION
            ):
                raise DiskError(
                    tr(
                        "{file} is of a later version of Epiphane; its presets are left out.",
                        file=self._file.name,
                    )
                )
            return msgspec.convert(raw, _Kept, dec_hook=_decode_rate).presets
        except (ValueError, RecursionError):  # msgspec's are ValueErrors
            raise DiskError(
                tr("{file} is damaged and its presets are left out; move it away.", file=self._file.name)
            ) from None

    def all(self) -> tuple[ExportPreset, ...]:
        """Return every preset, the user's own first; those that cannot be read are left out."""
        try:
            own = self.own()
        except DiskError:
            own = ()
        return (*own, *shipped_presets())

    def named(self, name: str) -> ExportPreset:
        """Return the preset of a name, whatever its capitals.

        Raises
        ------
        ParameterError
            If there is none; the message lists those there are.
        """
        found = next((one for one in self.all() if one.name.casefold() == name.casefold()), None)
        if found is None:
            known = ", ".join(one.name for one in self.all())
            raise ParameterError(
                tr("there is no preset {name!r}; there are: {known}", name=name, known=known)
            )
        return found

    def keep(self, preset: ExportPreset) -> None:
        """Keep a preset, in place of one of the same name.

        Raises
        ------
        DiskError
            If the file cannot be written, or what is in it cannot be read: nothing is written over it then.
        """
        others = [one for one in self.own() if one.name.casefold() != preset.name.casefold()]
        self._write((*others, preset))

    def remove(self, name: str) -> None:
        """Throw a preset of the user away; errors as of `keep`."""
        self._write(tuple(one for one in self.own() if one.name.casefold() != name.casefold()))

    def _write(self, presets: tuple[ExportPreset, ...]) -> None:
        try:
            self._file.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise DiskError(
                tr("{path} cannot be made: {reason}.", path=self._file.parent, reason=error.strerror)
            ) from None
        content = msgspec.json.encode(_Kept(presets=presets), enc_hook=str)
        write_atomically(self._file, msgspec.json.format(content, indent=1) + b"\n")


def _decode_rate(kind: type, value: object) -> object:
    assert kind is Fraction
    return decode_rate(value)
