"""The forms of a new build."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ClassVar

from flask_wtf import FlaskForm
from wtforms import Form, SelectField, StringField, ValidationError
from wtforms.validators import InputRequired, Length

from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.services.drafts import DraftRequest, PartsRequest
from briskcell.services.library import draft_choices

from .units import plain


def figure(unit: str, low: float, high: float) -> Callable[[Form, Any], None]:
    """A validator: what was typed is a figure in a unit, between two bounds."""

    def check(_form: Form, field: Any) -> None:
        try:
            value = read(plain(field.data or "", unit), unit, field.name)
        except FigureError as error:
            raise ValidationError(str(error)) from error
        if not low <= value <= high:
            raise ValidationError(f"This is outside {low:g} to {high:g} {unit}. Give a figure within.")

    return check


class _Answers(FlaskForm):  # type: ignore[misc]
    """What both ways to begin share. CSRF is checked for every request by the application."""

    class Meta:
        csrf = False

    name = StringField(
        "Name",
        validators=[
            InputRequired("A build needs a name of 1 to 120 characters. Type one."),
            Length(1, 120, "A build needs a name of 1 to 120 characters. Shorten it."),
        ],
        render_kw={"placeholder": "a shore bird, say"},
        filters=[lambda text: (text or "").strip()],
    )
    hints: ClassVar[dict[str, str]] = {}
    choices: ClassVar[dict[str, tuple[str, str]]] = {}  # of a field: which classes, and the word for none

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**kwargs)
        known = draft_choices()
        for name, (kind, none) in self.choices.items():
            self._fields[name].choices = [*([("", none)] if none else []), *((c.key, c.name) for c in known[kind])]

    def refuse(self, error: FigureError) -> None:
        """Put an error of the draft beside the field it names."""
        field = self._fields.get(error.field, self._fields["board"])
        field.errors = [*field.errors, str(error)]


class NewBuildForm(_Answers):
    """From what it must do."""

    way = "wish"
    hints: ClassVar = {
        "hours": "5h30, 6 h, 90 min",
        "thickness": "28 mm, 1.1 in",
        "screen": "or none",
        "sound": "or none",
        "radio": "or none",
        "on_charger": "a power path feeds both",
    }
    choices: ClassVar = {
        "board": ("boards", ""),
        "screen": ("screens", "none"),
        "sound": ("sounds", "none"),
        "radio": ("radios", "none"),
    }

    board = SelectField("Computer", default="board-small4", validate_choice=False)
    screen = SelectField("Screen", default="screen-43", validate_choice=False)
    hours = StringField("Plays for", default="4h00", validators=[figure("h", 0.1, 100.0)])
    thickness = StringField("Case, thick", default="28 mm", validators=[figure("mm", 8.0, 200.0)])
    sound = SelectField("Sound", default="amp-3w", validate_choice=False)
    radio = SelectField("Radio", default="", validate_choice=False)
    on_charger = SelectField("Play on the charger", default="", validate_choice=False)

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**kwargs)
        self.on_charger.choices = [("", "where it can"), ("yes", "yes"), ("no", "no")]

    def request(self) -> DraftRequest:
        """What is asked for, once the form holds."""
        hours, thickness = (read(plain(f.data or "", u), u) for f, u in ((self.hours, "h"), (self.thickness, "mm")))
        return DraftRequest(
            name=self.name.data or "",
            board=self.board.data,
            screen=self.screen.data or "",
            hours=hours,
            thickness_mm=thickness,
            sound=self.sound.data or "",
            radio=self.radio.data or "",
            on_charger={"yes": True, "no": False}.get(self.on_charger.data or ""),
        )


class PartsForm(_Answers):
    """From the parts one has."""

    way = "parts"
    hints: ClassVar = {"series": "1 to 12", "parallel": "1 to 24", "regulator": "or what the parts need", "charger": "or none"}
    choices: ClassVar = {
        "cell": ("cells", ""),
        "board": ("boards", ""),
        "screen": ("screens", "none"),
        "sound": ("sounds", "none"),
        "charger": ("chargers", "none"),
        "regulator": ("regulators", "what the parts need"),
    }

    cell = SelectField("Cell", default="cell-18650-e35", validate_choice=False)
    series = StringField("In series", default="1", validators=[figure("", 1, 12)])
    parallel = StringField("In parallel", default="2", validators=[figure("", 1, 24)])
    board = SelectField("Computer", default="board-small4", validate_choice=False)
    screen = SelectField("Screen", default="screen-43", validate_choice=False)
    sound = SelectField("Sound", default="", validate_choice=False)
    charger = SelectField("Charge board", default="charger-sw-2", validate_choice=False)
    regulator = SelectField("Boost or buck board", default="", validate_choice=False)

    def request(self) -> PartsRequest:
        """What is there, once the form holds."""
        series, parallel = (round(read(f.data or "", "")) for f in (self.series, self.parallel))
        return PartsRequest(
            name=self.name.data or "",
            cell=self.cell.data,
            series=series,
            parallel=parallel,
            board=self.board.data,
            screen=self.screen.data or "",
            sound=self.sound.data or "",
            charger=self.charger.data or "",
            regulator=self.regulator.data or "",
        )


FORMS: dict[str, type[_Answers]] = {"wish": NewBuildForm, "parts": PartsForm}
