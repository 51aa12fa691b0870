"""Notes from which sources the built assets were made; a test tells when they are stale."""

from __future__ import annotations

import hashlib
from pathlib import Path

ROOT = Path(__file__).parents[1]
STAMP = ROOT / "src/briskcell/web/static/build/sources.sha256"


def digest() -> str:
    """One digest of the styles, the templates that Tailwind reads, and the locked packages."""
    sources = [ROOT / "assets" / n for n in ("app.css", "fonts.py", "package-lock.json")]
    sources.append(ROOT / "src/briskcell/drawing/style.css")
    sources += sorted((ROOT / "src/briskcell/web/templates").rglob("*.html"))
    return hashlib.sha256(b"".join(p.read_bytes() for p in sources)).hexdigest()


if __name__ == "__main__":
    STAMP.write_text(digest() + "\n")
