"""A farm on this machine alone: a scheduler and workers, each a process with one thread."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Iterator
from typing import Any

from epiphane.exporting.farm import FarmError
from epiphane.wording import tr

_LOOK_SECONDS = 0.5


class LocalFarm:
    """A farm that runs.

    Attributes
    ----------
    address : str
        Of its scheduler, which hears this machine only.
    """

    def __init__(self, cluster: Any) -> None:
        self._cluster = cluster
        self.address: str = cluster.scheduler_address

    def wait(self) -> None:
        """Return when it has ended by itself, after it was idle for long enough."""
        while self._cluster.scheduler.status.name == "running":
            time.sleep(_LOOK_SECONDS)


@contextlib.contextmanager
def local_farm(
    n_workers: int | None = None, *, port: int = 0, idle_seconds: float | None = None
) -> Iterator[LocalFarm]:
    """Give a farm on this machine, which ends with the context.

    Parameters
    ----------
    n_workers
        One for each core unless given.
    port : int
        Of the scheduler; 0 for any that is free.
    idle_seconds
        After how long without a task it ends by itself; never unless given.

    Raises
    ------
    FarmError
        If its packages are not installed, or the port is taken.
    """
    try:
        from distributed import LocalCluster
    except ImportError:
        raise FarmError(
            tr('a farm needs more packages: install them with  pip install "epiphane[farm]"')
        ) from None
    try:
        cluster = LocalCluster(
            n_workers=n_workers or len(os.sched_getaffinity(0)),
            threads_per_worker=1,
            host="127.0.0.1",
            scheduler_port=port,
            dashboard_address="127.0.0.1:0",
            scheduler_kwargs={"idle_timeout": None if idle_seconds is None else f"{idle_seconds}s"},
        )
    except (OSError, RuntimeError) as error:
        raise FarmError(
            tr("no farm can be started at port {port}: {error}", port=port, error=error)
        ) from None
    with cluster:
        yield LocalFarm(cluster)
