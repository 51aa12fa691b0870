"""Copies that lie on the disk for a moment: leased before they are made, swept at the next start where nobody let them go."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from briskcell.store.leases import LeaseStore
from briskcell.store.tables import new_key

KIND, PREFIX = "copy", ".copy-"


class Copies:
    """Folders for them, beside the shelf."""

    def __init__(self, folder: Path, leases: LeaseStore) -> None:
        self._folder, self._leases = folder, leases
        for lease in leases.all(KIND):
            leases.let_go(lease.id)
        for left in (*folder.glob(f"{PREFIX}*"), *folder.glob(".backup-*")):  # an earlier version named them so
            shutil.rmtree(left, ignore_errors=True)

    @contextmanager
    def place(self) -> Iterator[Path]:
        """A folder of its own, gone when it is left."""
        path = self._folder / f"{PREFIX}{new_key()}"
        lease = self._leases.take(KIND, {"path": path.name})
        try:
            path.mkdir()
            yield path
        finally:
            shutil.rmtree(path, ignore_errors=True)
            self._leases.let_go(lease.id)
