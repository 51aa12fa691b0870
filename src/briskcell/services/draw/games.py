"""Edits of how a handheld is used: one profile, or several games with their shares of the time."""

from __future__ import annotations

from briskcell.model.changes import altered, remade
from briskcell.model.errors import FigureError
from briskcell.model.parts import Load
from briskcell.model.plan import Game, Plan
from briskcell.services.edits.values import Edit, checked, shared_out

MOST = 12


def add_game(plan: Plan) -> Edit:
    """One more game; the first takes over the profile of the build."""
    if len(plan.games) >= MOST:
        raise FigureError("games", f"A build names up to {MOST} games.", fix="Put alike ones together.")
    names = {g.name for g in plan.games}
    name = next(n for k in range(1, MOST + 2) if (n := f"Game {k}") not in names)
    share = 1.0 / (len(plan.games) + 1)
    game = Game(name=name, share=share, profile=plan.use)
    return Edit(checked(plan, {"games": (*shared_out(plan.games, 1.0 - share), game)}), f"{name} added")


def remove_game(plan: Plan, number: str) -> Edit:
    """Take a game away; with the last one, its profile becomes that of the build."""
    gone = _game(plan, number)
    rest = shared_out(tuple(g for k, g in enumerate(plan.games) if k != int(number)), 1.0)
    update = {"games": rest} if rest else {"games": (), "profile": gone.profile}
    return Edit(remade(plan, update), f"{gone.name} removed")


def tie(plan: Plan, number: str, load_id: str) -> Edit:
    """Let a part peak together with the others that the game ties, or on its own again."""
    game, load = _game(plan, number), plan.by_id.get(load_id)
    if not isinstance(load, Load):
        raise FigureError("games", "There is no such part.", fix="Reload the page.")
    free = load.id in game.together
    kept = tuple(i for i in game.together if i != load.id and i in plan.by_id)
    new = altered(game, together=kept if free else (*kept, load.id))
    games = tuple(new if g is game else g for g in plan.games)
    words = f"{load.name} peaks on its own in {game.name}" if free else f"{load.name} peaks with the others in {game.name}"
    return Edit(remade(plan, {"games": games}), words)


def _game(plan: Plan, number: str) -> Game:
    if not number.isdigit() or int(number) >= len(plan.games):
        raise FigureError("games", "There is no such game.", fix="Reload the page.")
    return plan.games[int(number)]
