"""What the desktop shows, and lets be heard, when a film is ready."""

import contextlib
import html
import os
import shutil
import subprocess

from epiphane.exporting.queue import QueuedExport, Stage
from epiphane.wording import tr

_SECONDS = 5


def tell_desktop(entry: QueuedExport) -> None:
    """Show a notice of an export that has ended, with a sound, where the desktop has notices.

    By `notify-send`, which speaks the Desktop Notifications Specification of freedesktop.org; without it, or
    without a desktop, nothing is shown.
    """
    command = shutil.which("notify-send")
    if command is None or "DBUS_SESSION_BUS_ADDRESS" not in os.environ:
        return
    is_ready = entry.stage is Stage.DONE
    title = tr("{name} is ready", name=entry.path.name)
    if not is_ready:
        title = tr("{name} could not be made", name=entry.path.name)
    told = html.escape(" ".join([str(entry.path.parent), *entry.words]), quote=False)  # it may have markup
    sound = "complete" if is_ready else "dialog-error"  # names of the Sound Naming Specification
    words = [command, "--app-name=Epiphane", "--icon=epiphane", f"--hint=string:sound-name:{sound}"]
    with contextlib.suppress(OSError, subprocess.TimeoutExpired):
        subprocess.run(
            [*words, "--", title, told],
            check=False,
            timeout=_SECONDS,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
