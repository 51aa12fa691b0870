"""The form of a new build."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask_wtf import FlaskForm
from wtforms import Form, SelectField, StringField, ValidationError
from wtforms.validators import InputRequired, Length

from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.services.drafts import DraftRequest
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


class NewBuildForm(FlaskForm):  # type: ignore[misc]
    """Four answers and a name. CSRF is checked for every request by the application."""

    class Meta:
        csrf = False

    name = StringField("Name", validators=[InputRequired("A build needs a name of 1 to 120 characters. Type one."),
                                           Length(1, 120, "A build needs a name of 1 to 120 characters. Shorten it.")],
                       render_kw={"placeholder": "a shore bird, say"}, filters=[lambda text: (text or "").strip()])  # fmt: skip
    board = SelectField("Board class", default="board-small4", validate_choice=False)
    screen = SelectField("Screen", default="screen-43", validate_choice=False)
    hours = StringField("Hours wanted", default="4h00", validators=[figure("h", 0.1, 100.0)])
    thickness = StringField("Thickness of the case", default="28 mm", validators=[figure("mm", 8.0, 200.0)])

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**kwargs)
        for field, classes in zip((self.board, self.screen), draft_choices().values(), strict=True):
            field.choices = [(c.key, c.name) for c in classes]

    def request(self) -> DraftRequest:
        """What is asked for, once the form holds."""
        hours, thickness = (read(plain(f.data or "", u), u) for f, u in ((self.hours, "h"), (self.thickness, "mm")))
        return DraftRequest(name=self.name.data or "", board=self.board.data, screen=self.screen.data, hours=hours,
                            thickness_mm=thickness)  # fmt: skip

    def refuse(self, error: FigureError) -> None:
        """Put an error of the draft beside the field it names."""
        field = self._fields.get(error.field, self.board)
        field.errors = [*field.errors, str(error)]
