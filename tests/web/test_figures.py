"""One formatter in the browser beside the server's: every figure of a table says the same in both, in the units preferred."""

from __future__ import annotations

import itertools

from playwright.sync_api import Page

from briskcell.model.preference import CHOICES, Preference

SIZES = (
    0.0,
    1e-9,
    3.7e-5,
    0.00099999,
    0.001,
    0.0462,
    0.0999,
    0.1,
    0.125,
    0.284,
    0.5,
    0.845,
    0.9999,
    1.0,
    1.184,
    2.5,
    3.35,
    5.17,
    9.994,
    9.996,
    10.0,
    15.65,
    19.99999,
    20.4,
    24.0,
    36.5,
    42.5,
    99.95,
    100.4,
    412.5,
    999.6,
    1000.0,
    43521.0,
    2.5e6,
)
UNITS = (
    "V",
    "A",
    "W",
    "Wh",
    "Ah",
    "Ω",
    "F",
    "H",
    "Hz",
    "h",
    "%",
    "d",
    "mm",
    "m",
    "mm²",
    "AWG",
    "°C",
    "K",
    "g",
    "K/W",
    "min",
    "€",
    "",
)


def test_the_pages_script_says_every_figure_as_the_server_does(page: Page, site: str) -> None:
    page.goto(f"{site}/help")
    others = {kind: choices[-1] for kind, choices in CHOICES.items()}
    for chosen in ({}, others, {"money": "$"}):
        liked = Preference(chosen)
        table = [
            (sign * v, u)
            for v, u, sign in itertools.product(SIZES, UNITS, (1, -1))
            if (sign > 0 or v) and (u != "AWG" or 0 <= v * sign <= 40)
        ]
        said = page.evaluate(
            """async ([table, liked]) => { const { figure } = await import("/static/js/figures.js");
              return table.map(([value, unit]) => figure(value, unit, liked)); }""",
            [table, liked.words],
        )
        differ = [
            (v, u, liked.show(v, u), theirs) for (v, u), theirs in zip(table, said, strict=True) if liked.show(v, u) != theirs
        ]
        assert differ == [], differ[:40]
    assert page.locator("html").get_attribute("data-units") == Preference({}).words
