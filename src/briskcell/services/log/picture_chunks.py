"""The pieces of a picture's file, counted and measured before anything reads what is in them."""

from __future__ import annotations

import struct
from collections.abc import Iterator

MOST_CHUNKS = 20_000
MOST_BESIDE = 1_000_000  # bytes of a piece that is no picture: words, a profile of colours, what a camera writes
PNG, JPEG, WEBP = b"\x89PNG\r\n\x1a\n", b"\xff\xd8", b"RIFF"


def chunks_fault(body: bytes) -> str | None:
    """What is wrong with the pieces of a picture; None where nothing is. A file of another kind is not looked at.

    References
    ----------
    ISO/IEC 15948 (PNG), 5.3: length, type, data, CRC. ITU-T T.81 (JPEG), B.1.1: markers with the length behind them. RFC 9649
    (WebP).
    """
    kind = PNG if body.startswith(PNG) else JPEG if body.startswith(JPEG) else WEBP if body.startswith(WEBP) else None
    if kind is None:
        return None
    seen = 0
    try:
        for name, length, picture in {PNG: _png, JPEG: _jpeg, WEBP: _webp}[kind](body):
            seen += 1
            if seen > MOST_CHUNKS:
                return f"it is in more than {MOST_CHUNKS} pieces"
            if not picture and length > MOST_BESIDE:
                return f"a piece of it beside the picture ({name}) has {length / 1e6:.1f} MB"
    except (struct.error, ValueError):
        return "it is cut off"
    return None


def _png(body: bytes) -> Iterator[tuple[str, int, bool]]:
    at = len(PNG)
    while at < len(body):
        length, name = struct.unpack_from(">I4s", body, at)
        if at + 12 + length > len(body):
            raise ValueError(at)
        yield name.decode("ascii", "replace"), length, name in (b"IDAT", b"fdAT")
        if name == b"IEND":
            return
        at += 12 + length


def _jpeg(body: bytes) -> Iterator[tuple[str, int, bool]]:
    at = 2
    while at + 4 <= len(body) and body[at] == 0xFF:
        marker, length = body[at + 1], int(struct.unpack_from(">H", body, at + 2)[0])
        if length < 2 or at + 2 + length > len(body):
            raise ValueError(at)
        yield f"marker {marker:02X}", length, marker == 0xDA
        if marker == 0xDA:  # what follows is the picture
            return
        at += 2 + length


def _webp(body: bytes) -> Iterator[tuple[str, int, bool]]:
    at = 12
    while at + 8 <= len(body):
        name, length = struct.unpack_from("<4sI", body, at)
        if at + 8 + length > len(body):
            raise ValueError(at)
        yield name.decode("ascii", "replace"), length, name in (b"VP8 ", b"VP8L", b"ALPH", b"ANMF")
        at += 8 + length + length % 2
