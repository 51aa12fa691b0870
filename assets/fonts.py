"""Subsets the typeface to the glyphs the pages use, draws the two it lacks, and notes how wide each is for drawings."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.subset import Options, Subsetter
from fontTools.ttLib import TTFont

LATIN = "".join(map(chr, [*range(0x20, 0x7F), *range(0xA0, 0x180)]))
GLYPHS = LATIN + "ΩΔΣμµ°≤≥≈→↑↓−–—·×√∑∫±²³½…‘’“”„•€∞"
SOURCES = {
    "bench-400": ("next", "400Regular"),
    "bench-600": ("next", "600SemiBold"),
    "bench-mono-400": ("mono", "400Regular"),
    "bench-mono-600": ("mono", "600SemiBold"),
}


def arrow(font: TTFont, name: str, code: int, turn: int) -> None:
    """An arrow as wide as the minus sign and as heavy; ``turn`` 0 right, 1 up, 3 down."""
    width, minus = font["hmtx"]["minus"][0], font["glyf"]["minus"]
    heavy, middle = minus.yMax - minus.yMin, (minus.yMax + minus.yMin) / 2
    left, right = minus.xMin, minus.xMax
    reach = (right - left) / 2
    head = reach * 0.62
    neck, low, high = right - head, middle - heavy / 2, middle + heavy / 2
    shape = [(left, low), (left, high), (neck, high), (neck, middle + head), (right, middle), (neck, middle - head), (neck, low)]
    cx = (left + right) / 2
    for _ in range(turn):
        shape = [(cx - (y - middle), middle + (x - cx)) for x, y in shape]
    pen = TTGlyphPen(None)
    pen.moveTo(shape[0])
    for point in shape[1:]:
        pen.lineTo(point)
    pen.closePath()
    font.setGlyphOrder([*font.getGlyphOrder(), name])
    font["glyf"][name] = pen.glyph()
    font["hmtx"][name] = (width, int(min(x for x, _ in shape)))
    for table in font["cmap"].tables:
        if table.isUnicode():
            table.cmap[code] = name


def build(source: Path, target: Path) -> None:
    font = TTFont(source)
    if "GlyphOrder" in font:
        font.getGlyphOrder()
    for name, code, turn in (("bench.right", 0x2192, 0), ("bench.up", 0x2191, 1), ("bench.down", 0x2193, 3)):
        arrow(font, name, code, turn)
    for table in font["cmap"].tables:
        if table.isUnicode() and 0x3BC in table.cmap:
            table.cmap[0xB5] = table.cmap[0x3BC]
    options = Options()
    options.layout_features = ["kern", "tnum", "lnum", "ccmp", "mark"]
    options.flavor = "woff2"
    options.drop_tables += ["DSIG"]
    subsetter = Subsetter(options)
    subsetter.populate(text=GLYPHS)
    subsetter.subset(font)
    for record in font["name"].names:
        if record.nameID in (1, 3, 4, 6, 16):
            record.string = "Bench " + target.stem
    font.flavor = "woff2"
    font.save(target)


def plain(source: Path, target: Path) -> None:
    """The same face unpacked, under the name and weight that styles ask for: for what renders drawings as dots."""
    font = TTFont(source)
    font.flavor = None
    family = "Bench Mono" if "mono" in source.stem else "Bench"
    for record in font["name"].names:
        if record.nameID in (1, 16):
            record.string = family
    target.parent.mkdir(parents=True, exist_ok=True)
    font.save(target)


def advances(faces: list[Path], target: Path) -> None:
    """The advance of every glyph in em, by its character: the wider of the weights, figures tabular as the pages set them."""
    known: dict[str, float] = {}
    for face in faces:
        font = TTFont(face)
        em, widths = font["head"].unitsPerEm, font["hmtx"]
        for code, name in sorted(font.getBestCmap().items()):
            known[chr(code)] = max(round(widths[name][0] / em, 4), known.get(chr(code), 0.0))
    figure = max(known[d] for d in "0123456789")
    target.write_text(json.dumps(known | dict.fromkeys("0123456789", figure), ensure_ascii=False, indent=0) + "\n", "utf-8")


if __name__ == "__main__":
    modules, out, drawing = (Path(a) for a in sys.argv[1:4])
    out.mkdir(parents=True, exist_ok=True)
    for stem, (face, weight) in SOURCES.items():
        folder = modules / "@expo-google-fonts" / f"atkinson-hyperlegible-{face}" / weight
        build(next(folder.glob("*.ttf")), out / f"{stem}.woff2")
        plain(out / f"{stem}.woff2", drawing / "fonts" / f"{stem}.ttf")
    advances([out / "bench-400.woff2", out / "bench-600.woff2"], drawing / "advances.json")
