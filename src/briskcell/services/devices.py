"""Devices are let in once, by a code that is shown on the computer: few tries, and not for long."""

from __future__ import annotations

import hmac
import secrets
import time
from threading import Lock

from briskcell.store.devices import DeviceRow, DeviceStore

TRIES = 5  # for a code, by whomever
LASTS_S = 600.0
DIGITS = 6


class Devices:
    """Those that were let in, and the code of the moment. There is none until the computer asks for one."""

    def __init__(self, devices: DeviceStore) -> None:
        self._devices, self._lock = devices, Lock()
        self._code, self._tries, self._until, self.reads_only = "", 0, 0.0, False
        self._refused: list[str] = []  # addresses that gave a wrong code for the one of the moment
        self.alarm = ""  # what the computer has to be told

    def code(self, *, reads_only: bool = False) -> str:
        """A new code, in place of the last."""
        with self._lock:
            self._code, self._tries, self._refused = f"{secrets.randbelow(10**DIGITS):0{DIGITS}d}", TRIES, []
            self._until, self.reads_only = time.monotonic() + LASTS_S, reads_only
            return self._code

    @property
    def shown(self) -> str:
        """The code that holds now; empty where none does."""
        with self._lock:
            return self._code if self._holds() else ""

    @property
    def tries_left(self) -> int:
        """How often it may still be tried."""
        with self._lock:
            return self._tries if self._holds() else 0

    def pair(self, code: str, name: str, address: str) -> str | None:
        """Let a device in that gives the code; its key, None where the code is wrong or no longer holds."""
        with self._lock:
            if not self._holds():
                return None
            self._tries -= 1
            right = hmac.compare_digest(code.strip().replace(" ", "").encode(), self._code.encode())
            if not right:
                self._refused.append(address[:45])
                if self._tries == 0:
                    self._code = ""
                    whence = ", ".join(dict.fromkeys(self._refused))
                    self.alarm = (
                        f"{TRIES} wrong codes were given for this shelf from {whence}. The code no longer holds; if that "
                        "was not you, end the sharing on this network."
                    )
                return None
            self._code = ""  # once
            reads_only = self.reads_only
        return self._devices.add(name.strip()[:60] or "A device", reads_only=reads_only)

    def _holds(self) -> bool:
        return bool(self._code) and self._tries > 0 and time.monotonic() < self._until

    def get(self, key: str) -> DeviceRow | None:
        """A device by its key."""
        return self._devices.get(key)

    def all(self) -> tuple[DeviceRow, ...]:
        """Every device that was let in, the newest first."""
        return self._devices.all()

    def revoke(self, key: str) -> None:
        """Shut a device out at once."""
        self._devices.revoke(key)

    def allow(self, key: str, *, may_load: bool) -> None:
        """Say whether a device may add instruments and let loads draw."""
        self._devices.allow(key, may_load=may_load)

    def lets_in(self, key: str | None) -> bool:
        """Whether who asks may be answered: this computer, which has no key, and a device that was not shut out."""
        return key is None or ((found := self.get(key)) is not None and not found.revoked)
