"""What the web tests share."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient


@pytest.fixture
def client(app: Any) -> FlaskClient:
    made: FlaskClient = app.test_client()
    return made
