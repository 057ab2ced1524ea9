"""What every view needs: the services and who is signed in."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, cast

from flask import current_app
from flask_login import current_user

from brumel.services.application import Services

if TYPE_CHECKING:
    from brumel.web.auth.views import SignedIn


def services() -> Services:
    """The services of this application."""
    return cast(Services, current_app.extensions["brumel"])


def signed_in() -> Any:
    """The person who is signed in."""
    return cast("SignedIn", current_user).person
