"""The workshop: where the use cases of one data folder meet, each by its name. What keeps things stays behind them."""

from __future__ import annotations

from pathlib import Path

from briskcell.store.devices import DeviceStore
from briskcell.store.drawer import DrawerStore
from briskcell.store.leases import LeaseStore
from briskcell.store.log import LogStore
from briskcell.store.runs import RunStore
from briskcell.store.units import UnitStore

from . import salvaging
from .backups import restoring
from .backups.backups import Backups
from .bench.benches import Benches
from .bench.instruments import Instruments
from .bench.letting_go import LettingGo
from .bench.recording import Recorder
from .builds import Builds
from .copies import Copies
from .devices import Devices
from .drawer.drawer import Drawer
from .jobs import Runner
from .log.logs import Logs
from .log.this_console import Consoles
from .searches import Searches
from .sheet import Record
from .uploads import Uploads


class Workshop:
    """All use cases on what one folder keeps."""

    def __init__(self, path: Path) -> None:
        folder = path.parent
        restoring.put_back(folder)  # a restore that was interrupted
        self._store, words = salvaging.opened(path)
        self.alarms = [words] if words else []  # what every page at this computer says until it was read
        leases = LeaseStore(self._store)
        self.letting_go = LettingGo(leases)  # before anything else: a load may draw
        self.builds = Builds(self._store)
        self._jobs, runs = Runner(self._store), RunStore(self._store, folder)
        self.drawer, self.devices = Drawer(DrawerStore(self._store)), Devices(DeviceStore(self._store))
        self.uploads = Uploads(folder, leases)
        instruments = Instruments(runs, self.letting_go)
        recorder = Recorder(runs, instruments, leases, self.letting_go)
        self.benches = Benches(UnitStore(self._store), runs, instruments, recorder)
        log = LogStore(self._store, folder)
        self.logs = Logs(log, runs, self.benches, self.uploads, self._jobs)
        self.consoles = Consoles(UnitStore(self._store), log, runs)
        self.searches = Searches(folder, self.builds, self.drawer, self._jobs)
        self.backups = Backups(folder, self.uploads, Copies(folder, leases), lambda: self.benches.busy, self._replaced)

    def _replaced(self) -> None:
        """Another shelf stands in the place of the one that was here."""
        self._store.another_shelf()
        self.builds.forget()

    def record(self, build_id: int) -> Record:
        """What is kept of a build beside its plan."""
        opened, benches = self.builds.open(build_id), self.benches
        units = benches.units(build_id)
        return Record(
            opened.revision.created_at,
            opened.revision.changes - 1,
            tuple(benches.proof(u, opened.assessed) for u in units),
            {u.id: [(r, benches.totals(r)) for r in benches.runs(u.id) if r.state != "running"] for u in units},
        )

    def close(self) -> None:
        """End long work and runs, and let go of the file."""
        self.benches.close()
        self._jobs.close()
        self._store.close()
