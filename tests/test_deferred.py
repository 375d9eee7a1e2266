import subprocess
import sys

_START = """
import sys
from epiphane.__main__ import main
from epiphane.deferred import HEAVY, defer
from PyQt6.QtTest import QTest
defer()
from epiphane.desk.shell.app import make_application, made_window
app = make_application(["epiphane"])
window = made_window(app)
assert QTest.qWaitForWindowExposed(window)
app.processEvents()
print(*(name for name in HEAVY if type(sys.modules[name]).__name__ != "_StandIn"))
window.shut_down()
"""

_THREADS = """
import sys
from concurrent.futures import ThreadPoolExecutor
from epiphane.deferred import HEAVY, defer
defer()
import av, cv2
from PIL import Image
asked = [lambda: av.VideoFrame, lambda: cv2.resize, lambda: Image.open, lambda: cv2.getNumThreads()] * 8
sys.setswitchinterval(1e-5)
with ThreadPoolExecutor(32) as threads:
    found = list(threads.map(lambda ask: ask(), asked))
assert found[3] == 1, "frames are drawn beside each other, none by many threads"
try:
    av.no_such_thing
except AttributeError as error:
    print(error)
"""


def test_no_heavy_package_is_loaded_before_the_window_can_be_used(tmp_path):
    assert _said(_START, tmp_path) == ""


def test_many_threads_may_be_the_first_to_ask(tmp_path):
    assert "no attribute 'no_such_thing'" in _said(_THREADS, tmp_path)


def _said(code, folder):
    run = subprocess.run(
        [sys.executable, "-c", code], check=False, cwd=folder, capture_output=True, text=True
    )
    assert run.returncode == 0, run.stderr
    return run.stdout.strip()
