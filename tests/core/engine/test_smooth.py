"""Tables read without kinks, held against SciPy's own monotone cubic."""

from __future__ import annotations

import numpy as np

from briskcell.core.engine.smooth import smooth
from briskcell.library import catalogue


def test_a_table_is_read_as_by_the_published_monotone_cubic_and_held_beyond_its_ends() -> None:
    from scipy.interpolate import PchipInterpolator

    tables = [c.part.ocv for c in catalogue().of_kind("cells")] + [c.part.fast for c in catalogue().of_kind("cells")]
    at = np.linspace(-0.1, 1.1, 301)
    for table in tables:
        held = np.clip(at, table.soc[0], table.soc[-1])
        assert np.allclose(smooth(at, table.soc, table.value), PchipInterpolator(table.soc, table.value)(held), atol=1e-12)
    bumpy = ((0.0, 0.1, 0.4, 0.5, 1.0), (1.0, 3.0, 2.0, 2.0, 5.0))
    assert np.allclose(smooth(np.linspace(0, 1, 51), *bumpy), PchipInterpolator(*bumpy)(np.linspace(0, 1, 51)), atol=1e-12)


def test_what_rises_in_the_table_rises_between_its_points() -> None:
    ocv = catalogue().find("cell-21700-e50").part.ocv
    volts = smooth(np.linspace(0, 1, 1001), ocv.soc, ocv.value)
    assert (np.diff(volts) >= 0).all()
    slopes = np.diff(volts) * 1000
    assert np.abs(np.diff(slopes)).max() < 0.25 * slopes.max(), "no kink"
