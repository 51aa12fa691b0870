"""What a wide search has judged so far, in a file beside the builds: a search that was stopped or cut off goes on from there."""

from __future__ import annotations

import hashlib
import json
import os
import time
import zipfile
from pathlib import Path
from threading import Lock

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FOLDER = "searches"
EVERY_S = 1.0  # between two notes of what is judged


class Judged:
    """The chunks of one build's search, by number.

    They are of one search alone: what it searches goes into the ``key`` of its file's name, and others of that build are forgotten.
    """

    def __init__(self, folder: Path, build_id: int) -> None:
        self._folder, self._build, self._lock = folder / FOLDER, build_id, Lock()
        self._noted = time.monotonic()

    def load(self, *searched: object) -> dict[int, Array]:
        """What is judged already of a search of just this."""
        key = hashlib.sha256(json.dumps(searched, sort_keys=True, default=str).encode()).hexdigest()[:16]
        self.path = self._folder / f"{self._build}-{key}.npz"
        for other in self._folder.glob(f"{self._build}-*.npz"):
            if other != self.path:
                other.unlink(missing_ok=True)
        try:
            with np.load(self.path, allow_pickle=False) as found:
                return {int(name): found[name] for name in found.files}
        except (OSError, ValueError, zipfile.BadZipFile):
            return {}

    def note(self, chunks: dict[int, Array], *, now: bool = False) -> None:
        """Keep what is judged, once in a while."""
        with self._lock:
            if not now and time.monotonic() - self._noted < EVERY_S:
                return
            self._noted = time.monotonic()
            self._folder.mkdir(parents=True, exist_ok=True)
            beside = self.path.with_suffix(".part")
            with beside.open("wb") as file:
                np.savez(file, **{str(k): v for k, v in dict(chunks).items()})  # type: ignore[arg-type]
            os.replace(beside, self.path)

    def forget(self) -> None:
        """What was judged of this build's searches goes."""
        for path in self._folder.glob(f"{self._build}-*"):
            path.unlink(missing_ok=True)
