"""Every rule is set off by what the pages offer: fields, choices, classes added, swapped, connected and removed."""

from __future__ import annotations

import re
from typing import Any

import pytest
from flask.testing import FlaskClient

from briskcell.core.rules.registry import RULES, SEVERITY
from briskcell.web.pages import PAGES
from tests.faults import BROKEN
from tests.web.doors import post


def test_the_table_names_every_rule() -> None:
    assert set(BROKEN) == set(RULES)


@pytest.mark.parametrize("name", sorted(RULES))
def test_every_rule_says_where_pages_show_it_and_its_station_is_among_them(wired: Any, name: str) -> None:
    assert wired, "which fills the list of pages"
    places = {f"{station}/{section.name}" for station, page in PAGES.items() for section in page.sections}
    shown = RULES[name].shown
    assert set(shown) <= places, "a section that no page has"
    assert RULES[name].station in {place.partition("/")[0] for place in shown}


@pytest.mark.parametrize("rule", sorted(BROKEN))
def test_every_rule_is_set_off_from_the_pages(client: FlaskClient, rule: str) -> None:
    build, steps = BROKEN[rule].build, BROKEN[rule].steps
    shop = client.application.extensions["briskcell"]
    before = {f.rule for f in shop.builds.open(build).assessed.findings}
    for path, form in steps:
        answer: Any = post(client, path, form, build=build)
        assert answer.status_code == 200, (path, form, answer.text[:300])
    after = shop.builds.open(build).assessed.findings
    assert rule in {f.rule for f in after} - before
    worst = min((f.state for f in after if f.rule == rule), key=SEVERITY.__getitem__)
    for station, _, section in (place.partition("/") for place in RULES[rule].shown):
        index = client.get(f"/builds/{build}/{station}").text
        words = re.search(rf'href="#(?:h-)?{section}"[^>]*>.*?</a>', index, re.DOTALL)
        assert words is not None, (station, section)
        said = next((w for w in SEVERITY if w in words[0]), "holds")
        assert SEVERITY.get(said, 9) <= SEVERITY[worst], (station, section, words[0])
