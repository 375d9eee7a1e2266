"""What every test stands on: no cache or data folder of the machine is read or written."""

import pytest


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory, monkeypatch):
    """Give each run its own cache and data folders."""
    base = tmp_path_factory.getbasetemp()
    monkeypatch.setenv("XDG_CACHE_HOME", str(base / "cache"))
    monkeypatch.setenv("XDG_DATA_HOME", str(base / "data"))
