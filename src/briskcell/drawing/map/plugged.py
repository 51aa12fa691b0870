"""The map while the build is plugged in: from the socket to the board, there to the pack and to the console."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.charge.current_split import LIMITS
from briskcell.model.units import show
from briskcell.services.charge.at_socket import OFF, OnCharger

from ..shapes import Drawing, circle, group, path, rect, text
from ..words import short
from .scene import course

HEIGHT, BOARD_Y, TANK_Y = 150.0, 44.0, 94.0
WIDEST = 22.0  # of a band
ROWS, ROW_STEP, FIRST_Y = 4, 23.0, 20.0
BOARD_W, TANK_W, TANK_TALL = 62.0, 44.0, 60.0


@dataclass(frozen=True, slots=True)
class PluggedSpace:
    """Where things stand on a drawing of one width; ``detail`` where there is room for the supply's words."""

    width: float
    socket_x: float
    board_x: float
    tank_x: float
    rows_x: float
    detail: bool


SPACES = {
    "wide": PluggedSpace(1024.0, 180.0, 330.0, 388.0, 640.0, detail=True),
    "narrow": PluggedSpace(704.0, 132.0, 220.0, 276.0, 452.0, detail=True),
    "phone": PluggedSpace(366.0, 10.0, 62.0, 112.0, 214.0, detail=False),
}


@dataclass(frozen=True, slots=True)
class PluggedBand:
    """A band: its course, width and title; ``back`` where the pack gives."""

    path: str
    thick: float
    title: str
    back: bool = False


def plugged_map(assessed: Assessment, on: OnCharger, soc: float, width: str) -> Drawing:
    """Draw a build on its charger.

    Parameters
    ----------
    assessed : Assessment
        The build.
    on : OnCharger
        By which socket, with the console off or in use.
    soc : float
        State of charge.
    width : str
        ``wide``, ``narrow`` or ``phone``.

    Returns
    -------
    Drawing
        From the socket to the pack and the console.
    """
    found, space, board = on.found, SPACES[width], on.socket.board
    rows, watts = _rows(assessed, on), flows_on(assessed, on)
    scale = WIDEST / max(watts.into_w, watts.console_w, abs(watts.pack_w), 0.1)
    room = space.width - space.rows_x - 74.0
    shown = [(part, short(n, room), show(w, "W"), FIRST_Y + ROW_STEP * k) for k, (part, n, w) in enumerate(rows)]
    bands = _bands(on, space, scale, watts, [(y, w) for (_, _, w), (*_, y) in zip(rows, shown, strict=True)])
    tall = TANK_TALL * soc
    shapes = [
        *(path(f"band own{' back' if b.back else ''}", b.path, b.thick, title=b.title) for b in bands),
        circle("board", space.socket_x, BOARD_Y, 7.0),
    ]
    if space.detail:
        shapes += [
            text("nm", 8.0, 40.0, short(on.socket.supply.name, space.socket_x - 20.0)),
            text("vl", 8.0, 62.0, f"{show(found.bus_v, 'V')} · {show(found.nodes[0].current_a, 'A')}"),
        ]
    gives = f"{'takes' if on.into_a >= 0 else 'gives'} {show(abs(on.into_a), 'A')}"
    shapes += [
        group(
            rect(f"board {assessed.element_state(board.id)}", space.board_x - 31, 31.0, BOARD_W, 26.0, round=2),
            text("vl upon", space.board_x, 48.0, show(found.bus_v, "V"), "middle"),
            text("nm", space.board_x, 22.0, short(board.name, 140.0 if space.detail else 96.0), "middle"),
            title=board.name,
            opens=f"part:{board.id}",
        ),
        group(
            rect(f"tank {assessed.element_state(board.charges)}", space.tank_x, 64.0, TANK_W, TANK_TALL, round=3),
            rect("tank-fill", space.tank_x + 1, 124 - tall, TANK_W - 2, tall),
            text("vl", space.tank_x + 22, 141.0, gives, "middle"),
            title=assessed.plan.by_id[board.charges].name,
            opens=f"part:{board.charges}",
        ),
        *(
            group(
                text("nm", space.rows_x, y + 4, name),
                text("big", space.width - 8, y + 4, w, "end"),
                title=f"{name}: {w}",
                opens=f"part:{part}",
            )
            for part, name, w, y in shown
        ),
    ]
    says = f"The build on its charger, at {round(soc * 100)} % charge"
    return Drawing("river strip plugged haloed", space.width, HEIGHT, says, tuple(shapes), opening=True)


@dataclass(frozen=True, slots=True)
class PluggedWatts:
    """Watts in at the socket, into the pack, and to the console; amperes at the socket."""

    into_w: float
    in_a: float
    pack_w: float
    console_w: float


def flows_on(assessed: Assessment, on: OnCharger) -> PluggedWatts:
    """What flows on the charger."""
    in_a = on.found.nodes[0].current_a
    console_w = sum(w for _, _, w in _rows(assessed, on))
    return PluggedWatts(in_a * on.socket.supply.voltage_v.likely, in_a, on.into_a * on.found.store_v, console_w)


def _rows(assessed: Assessment, on: OnCharger) -> list[tuple[str, str, float]]:
    """The loads by the watts they take, the last one for all the rest."""
    flow, loads = on.found.flow, assessed.op.network.loads
    n = len(loads)
    watts = np.where(np.isfinite(flow.consumer_a[..., :n]), flow.consumer_a[..., :n], 0.0) * flow.consumer_v[..., :n]
    watts = np.broadcast_to(np.reshape(watts, -1)[:n], (n,))
    order = sorted(range(n), key=lambda k: -float(watts[k]))
    single = order if n <= ROWS else order[: ROWS - 1]
    rest = order[len(single) :]
    rows = [(loads[k].id, loads[k].name, float(watts[k])) for k in single]
    return rows + ([(loads[rest[0]].id, f"{len(rest)} more parts", float(sum(watts[k] for k in rest)))] if rest else [])


def _bands(
    on: OnCharger, space: PluggedSpace, scale: float, watts: PluggedWatts, rows: list[tuple[float, float]]
) -> list[PluggedBand]:
    def thick(watts: float) -> float:
        return round(max(abs(watts) * scale, 0.8), 1)

    left, right = space.board_x - BOARD_W / 2, space.board_x + BOARD_W / 2
    in_w = watts.into_w
    out = [PluggedBand(course(space.socket_x, BOARD_Y, left - 4, BOARD_Y, left), thick(in_w), f"{show(in_w, 'W')} from the socket")]
    to_pack = watts.pack_w if on.layout != "on_cell" else on.found.charge_a * on.found.store_v
    if abs(to_pack) > 1e-6:
        words = "into the pack" if to_pack > 0 else "out of the pack"
        out.append(
            PluggedBand(
                course(right, BOARD_Y + 4, space.tank_x - 6, TANK_Y, space.tank_x),
                thick(to_pack),
                f"{show(abs(to_pack), 'W')} {words}",
                to_pack < 0,
            )
        )
    if watts.console_w <= 0:
        return out
    x0, y0 = (space.tank_x + TANK_W, TANK_Y) if on.layout == "on_cell" else (right, BOARD_Y)
    at = y0 - watts.console_w * scale / 2
    for y, row_w in rows:
        if row_w > 0:
            wide = thick(row_w)
            out.append(PluggedBand(course(x0, at + wide / 2, space.rows_x - 18.0, y, space.rows_x - 10.0), wide, show(row_w, "W")))
            at += wide
    return out


def sentence_of(assessed: Assessment, on: OnCharger) -> str:
    """What flows where on the charger, and how long it takes."""
    watts, supply, found = flows_on(assessed, on), on.socket.supply, on.found
    most = supply.current_limit_a.likely
    out = [f"{supply.name} gives {show(watts.in_a, 'A')} of {show(most, 'A')} ({show(watts.into_w, 'W')})."]
    if on.layout == "cut_out" and on.use != OFF:
        out.append("The console is off: this layout cuts it out while it charges.")
    elif on.use != OFF:
        where = {"power_path": "straight from the socket", "on_cell": "from the cells, while they charge"}.get(on.layout, "")
        out.append(f"The console takes {show(watts.console_w, 'W')}, {where}.")
    if not found.carried:
        out.append("That is more than the supply carries.")
    if on.into_a >= 0:
        out.append(f"The pack takes {show(on.into_a, 'A')} ({show(watts.pack_w, 'W')}), held by {LIMITS[found.limit]}.")
    else:
        out.append(f"The pack still gives {show(-on.into_a, 'A')} ({show(-watts.pack_w, 'W')}): it empties, plugged in.")
    if on.left_h is not None:
        out.append(f"Full in {show(on.left_h, 'h')} from here.")
    elif on.why:
        out.append(on.why)
    return " ".join(out)
