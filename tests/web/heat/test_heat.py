"""The Heat station driven: vents opened and minutes answer, uses compared, what cools taken."""

from __future__ import annotations

from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from tests.web.doors import found, post

SOUND, FAILING = 3, 2


def test_a_vent_is_opened_and_degrees_and_minutes_answer(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{FAILING}/brief")
    page.get_by_label("Warmest room", exact=True).fill("37")
    page.get_by_label("Warmest room", exact=True).press("Enter")
    expect(page.locator(".last")).to_contain_text("37")
    page.goto(f"{site}/builds/{FAILING}/heat")
    play = page.get_by_role("row", name="In play, on battery")
    expect(play).to_contain_text("Skin of the case, after")
    skin = page.locator("#n-heat")
    before = skin.inner_text()
    page.get_by_label("Vents", exact=True).select_option("true")
    expect(skin).not_to_have_text(before)
    expect(play).to_contain_text("nothing")
    page.get_by_label("Material of the shell").select_option("metal")
    expect(page.locator("#h-case + dl + .caution")).to_contain_text("makes every bare joint a short")
    page.get_by_label("Use", exact=True).select_option("charger:play")
    expect(page.locator("#plot-heat")).to_be_visible()
    expect(page.get_by_label("Use", exact=True)).to_have_value("charger:play")


def test_what_cools_is_tried_and_undone(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{FAILING}/heat")
    page.locator("#h-cooler").scroll_into_view_if_needed()
    page.get_by_role("button", name="Try it: Vents", exact=True).click()
    expect(page.locator(".last")).to_contain_text("Vents")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator(".last")).to_have_count(0)


def test_an_empty_build_and_an_odd_change_are_answered(client: FlaskClient) -> None:
    assert post(client, "cooler", {"cooling": "Magic", "slot": "cooling", "station": "heat"}, build=FAILING).status_code == 422
    assert client.get(f"/builds/{SOUND}/heat?way=nothing").status_code == 200


def test_play_on_the_charger_that_is_not_asked_for_is_close_and_one_that_is_fails(client: FlaskClient) -> None:
    post(client, "edit", {"path": "brief/room_c", "value": "40 °C"}, build=SOUND)
    for asked, state in (("true", "fails"), ("false", "close")):
        post(client, "edit", {"path": "brief/play_while_charging", "value": asked}, build=SOUND)
        heat, charge = (client.get(f"/builds/{SOUND}/{s}").text for s in ("heat", "charge"))
        row = found(r"(?s)(In play, charging by .*?</tr>)", heat)
        assert f'class="state {state}"' in row
        assert "Cells, after" in row
        assert f'class="state {state}"' in found(r"(?s)(The cells meanwhile.*?</table>)", charge)
