"""The edit that exports are tested with."""

import pytest
from exporting_edit import numbered_edit


@pytest.fixture(scope="session")
def edit(tmp_path_factory):
    """Return an edit of twelve seconds."""
    return numbered_edit(tmp_path_factory.mktemp("edit"))
