"""Long work on builds: the wide search, and mend all. Begun, stopped, gone on with, and asked how far it is."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from briskcell.core.assess import Assessment
from briskcell.store.jobs import JobRow

from . import mend_all
from .builds import Builds
from .drawer.drawer import Drawer
from .edits.values import Edit
from .jobs import Runner, Work
from .judge import sheltered
from .search import IN_DRAWER, KIND, KINDS, search
from .search_kept import Judged


class Searches:
    """The searches of one shelf, and what mends its builds."""

    def __init__(self, folder: Path, builds: Builds, drawer: Drawer, jobs: Runner) -> None:
        self._folder, self._builds, self._drawer, self._jobs = folder, builds, drawer, jobs

    def begin(self, build_id: int, seen: Assessment, *, in_drawer: bool = False) -> None:
        """Begin the wide search for a build as it is ``seen``, planned or as a console was measured: of all classes, or of what
        lies in the drawer. One that is under way is stopped.
        """
        kind, kept = IN_DRAWER if in_drawer else KIND, Judged(self._folder, build_id)
        work = search(seen, kept, self._drawer.rows(), kind)
        kept.forget()
        self._begun(build_id, kind, work)

    def go_on(self, build_id: int, seen: Assessment | None = None) -> None:
        """Go on with the search that was stopped or cut off; of the plan, where nothing says as what it is seen."""
        job = self.of(build_id)
        kind, kept = job.kind if job else KIND, Judged(self._folder, build_id)
        at = seen or self._builds.open(build_id).assessed
        self._begun(build_id, kind, search(at, kept, self._drawer.rows(), kind))

    def _begun(self, build_id: int, kind: str, work: Work) -> None:
        self.stop(build_id)
        self._jobs.begin(build_id, kind, work)

    def stop(self, build_id: int) -> None:
        """Stop the build's search, of whichever kind; what it found so far stays."""
        for kind in KINDS:
            self._jobs.stop(build_id, kind)

    def of(self, build_id: int) -> JobRow | None:
        """The build's newest search, as far as it is."""
        found = [job for kind in KINDS if (job := self._jobs.of(build_id, kind)) is not None]
        return max(found, key=lambda job: job.id, default=None)

    def go_on_with_interrupted(self) -> None:
        """Go on with the searches that the end of the last program interrupted."""
        for build_id in {b for kind in KINDS for b in self._jobs.interrupted(kind)}:
            if (job := self.of(build_id)) is not None and job.state == "interrupted":
                sheltered(f"search of build {build_id}", partial(self.go_on, build_id), None)

    def begin_mending(self, build_id: int) -> None:
        """Begin to mend all of a build; what was under way is stopped."""
        opened = self._builds.open(build_id)
        self._jobs.begin(build_id, mend_all.KIND, mend_all.mending(opened.assessed, opened.revision.id))

    def mending_of(self, build_id: int) -> JobRow | None:
        """How far mend all is, and what it found."""
        return self._jobs.of(build_id, mend_all.KIND)

    def stop_mending(self, build_id: int) -> None:
        """Stop it; what it found so far stays."""
        self._jobs.stop(build_id, mend_all.KIND)

    def mended(self, build_id: int, base_id: int, offer: int | None) -> Edit:
        """The plan that mend all found, or one of its offers."""
        return mend_all.take_mended(self.mending_of(build_id), base_id, offer)
