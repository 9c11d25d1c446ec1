"""Pictures that workers of a cluster make for a render job: what a worker process here asks of them."""

import logging
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING

from ..core.cluster.shared import run_of_today
from ..core.errors import Cancelled, JayFlickError
from ..core.progress import OnProgress
from ..core.recipe import Recipe
from ..core.stages import Stages
from .frames import StoredFrame

if TYPE_CHECKING:  # the packages for it are loaded where a cluster is used, and take a second
    from ..core.cluster.scheduler import Scheduler

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Cluster:
    """Where a cluster is, and what it shares with this machine."""

    scheduler: str
    """Its address, ``tls://…`` or ``tcp://…``."""
    share: str
    """A folder that all see, or an fsspec URL."""
    whose: str
    """Tells this service from others that use it."""


class AwayError(Exception):
    """The cluster does not answer, or would give other bytes: local workers go on."""


@cache
def connected(cluster: Cluster) -> "Connection":
    """This process's connection to a cluster; it is made when it is used."""
    return Connection(cluster)


def threads_of(cluster: Cluster) -> int:
    """How many jobs a cluster carries out side by side. Raises ``AwayError``."""
    return connected(cluster).threads()


class Connection:
    """A cluster, as one process asks it. What is lost is looked for again when it is used again."""

    def __init__(self, cluster: Cluster) -> None:
        self._cluster = cluster
        self._scheduler: Scheduler | None = None

    def threads(self) -> int:
        """How many jobs its workers carry out side by side. Raises ``AwayError``."""
        from ..core.cluster.scheduler import LostError

        try:
            scheduler = self._open()
            scheduler.look_at_workers()  # others may have come
            return scheduler.threads
        except (LostError, JayFlickError) as error:
            raise self._away(error) from None

    def have_made(
        self,
        recipe: Recipe,
        frames: Sequence[StoredFrame],
        output_id: str,
        stages: Stages,
        on_progress: OnProgress,
    ) -> None:
        """Have the pictures of an output made there, so that rendering finds them.

        What fails there is left to rendering. Raises ``AwayError``, and what ``on_progress`` raises.
        """
        from ..core.cluster.pictures import have_made
        from ..core.cluster.scheduler import LostError
        from ..core.cluster.worker import OtherProgramError

        share, run = self._cluster.share, run_of_today(self._cluster.whose)
        try:
            have_made(self._open(), share, run, recipe, frames, output_id, stages, on_progress)
        except (LostError, OtherProgramError) as error:
            raise self._away(error) from None
        except Cancelled:
            raise
        except JayFlickError as error:
            # Rendered here it says what is wrong with the frames; or nothing is, but with that worker.
            log.warning("a job is carried out here, for the cluster could not: %s", error)

    def _open(self) -> "Scheduler":
        """Raises ``LostError`` or ``JayFlickError``."""
        if self._scheduler is None:
            from ..core.cluster.scheduler import Scheduler
            from ..core.cluster.shared import Shared

            self._scheduler = Scheduler(self._cluster.scheduler).__enter__()
            Shared(self._cluster.share, run_of_today(self._cluster.whose)).clear_old()
        return self._scheduler

    def _away(self, error: Exception) -> AwayError:
        if self._scheduler is not None:
            self._scheduler.close()
            self._scheduler = None
        return AwayError(str(error))
