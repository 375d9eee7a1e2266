"""What every test stands on: no cache or data folder of the machine is read or written."""

import os

import pytest
from hypothesis import settings

import epiphane  # noqa: F401  (before NumPy, whose threads it limits)

# The machines are shared, so no example has a time limit; in CI the same examples run every time.
settings.register_profile("epiphane", deadline=None, derandomize="CI" in os.environ)
settings.load_profile("epiphane")


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory, monkeypatch):
    """Give each run its own cache and data folders."""
    base = tmp_path_factory.getbasetemp()
    monkeypatch.setenv("XDG_CACHE_HOME", str(base / "cache"))
    monkeypatch.setenv("XDG_DATA_HOME", str(base / "data"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path_factory.mktemp("state")))  # with a queue of exports
    (base / "run").mkdir(mode=0o700, exist_ok=True)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(base / "run"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path_factory.mktemp("config")))
