"""The entry in the menus of the desktop is whole, starts Epiphane, and goes without a trace."""

import configparser
import shlex
import shutil
import subprocess
import xml.etree.ElementTree as ET
from pathlib import Path

from make_man_page import man_page

from epiphane.cli import commands
from epiphane.files.desktop_entry import entry_files, remove_entry, write_entry


def test_the_entry_is_written_starts_epiphane_and_goes_again(tmp_path):
    other = tmp_path / "applications" / "other.desktop"
    other.parent.mkdir()
    other.write_text("[Desktop Entry]\n")
    written = write_entry(tmp_path)
    assert set(written) == set(entry_files(tmp_path)) and all(path.exists() for path in written)
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(tmp_path / "applications" / "epiphane.desktop")
    command = entry["Desktop Entry"]["Exec"].replace("%%", "%")
    program, argument = shlex.split(command)
    assert argument == "%f" and Path(program).name == "epiphane"
    assert subprocess.run([program, "--version"], capture_output=True, check=True).stdout
    mime = ET.parse(tmp_path / "mime" / "packages" / "epiphane.xml").getroot()
    assert mime[0].get("type") == entry["Desktop Entry"]["MimeType"].rstrip(";")
    assert ET.parse(tmp_path / "metainfo" / "epiphane.metainfo.xml").getroot().findtext("id") == "epiphane"
    if shutil.which("desktop-file-validate"):
        checked = subprocess.run(["desktop-file-validate", str(written[0])], capture_output=True, check=False)
        assert checked.returncode == 0, checked.stdout
    remove_entry(tmp_path)
    left = [path for path in tmp_path.rglob("*") if path.is_file() and "epiphane" in path.name]
    assert left == [] and other.exists()
    assert remove_entry(tmp_path) == []


def test_the_manual_has_every_command_and_option():
    page = man_page()
    for name, command in commands.every().items():
        if not command.hidden:
            assert f".SS epiphane {name}" in page
            for parameter in command.params:
                assert all(
                    option.replace("-", "\\-") in page for option in parameter.opts if option[:1] == "-"
                )
