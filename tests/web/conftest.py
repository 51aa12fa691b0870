"""What the web tests share."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient
from playwright.sync_api import expect

expect.set_options(timeout=15_000)  # a machine that builds and tests at once stands still for seconds now and then


@pytest.fixture
def client(app: Any) -> FlaskClient:
    made: FlaskClient = app.test_client()
    return made
