"""Signing in and out, and the theme."""

from __future__ import annotations

import uuid
from urllib.parse import urlsplit

from flask import Blueprint, abort, current_app, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue
from flask_login import current_user, login_user, logout_user
from itsdangerous import BadSignature, URLSafeSerializer

from brumel.core.quantities.shown import choices, kept_units
from brumel.services.errors import InvalidInput
from brumel.services.people import INVENTED, INVENTED_PASSWORD, PersonRole, SignInRefused
from brumel.web.context import services, signed_in
from brumel.web.forms import Typed
from brumel.web.security import A_YEAR_S
from brumel.web.signed_in import SignedIn

blueprint = Blueprint("auth", __name__, template_folder="templates")

_UNIT_WORDS = {"°C": "Temperature", "µS/cm": "Conductivity", "hPa": "Pressure", "mg/L": "Concentrations", "m": "Depth"}


_BROWSER = "browser"
"""The cookie by which a browser is known again."""


@blueprint.route("/sign-in", methods=["GET", "POST"])
def sign_in() -> ResponseReturnValue:
    """Sign in with name and password."""
    if current_user.is_authenticated:
        return redirect(url_for("today.page"))
    if request.method == "GET":
        awaited = services().first.awaited()
        return render_template("auth/sign_in.html", values={}, errors={}, roles=_demo_roles(), awaited=awaited)
    return _sign_in(Typed(request.form).text("login"), request.form.get("password", ""))


def _sign_in(login: str, password: str) -> ResponseReturnValue:
    try:
        return _enter(login, password)
    except SignInRefused as refused:
        page = render_template("auth/sign_in.html", values=request.form, errors=refused.fields, roles=_demo_roles())
        return page, 422


@blueprint.route("/first/<key>", methods=["GET", "POST"])
def first(key: str) -> ResponseReturnValue:
    """Let the first person of an empty installation take a name and a password."""
    services().first.check(key)
    if request.method == "GET":
        return render_template("auth/first.html", values={}, errors={})
    return _take_over(key)


def _take_over(key: str) -> ResponseReturnValue:
    typed = Typed(request.form)
    try:
        login, name = typed.text("login").lower(), typed.text("name")
        typed.must_be_read()
        services().first.enter(key, login, name, request.form.get("password", ""))
    except InvalidInput as wrong:
        return render_template("auth/first.html", values=request.form, errors=wrong.fields), 422
    return _enter(login, request.form.get("password", ""), url_for("start.page"))


@blueprint.post("/sign-in/demo")
def demo() -> ResponseReturnValue:
    """One click signs in; in the demonstration, and only there."""
    if not current_app.config["DEMO"]:
        abort(404)
    role = request.form.get("role", "")
    if role not in set(PersonRole):
        abort(400)
    return _sign_in(INVENTED[PersonRole(role)][0], INVENTED_PASSWORD)


@blueprint.post("/sign-out")
def sign_out() -> ResponseReturnValue:
    """Sign out."""
    if current_user.is_authenticated:
        services().people.end(current_user.key)
    logout_user()
    session.clear()
    return redirect(url_for("auth.sign_in"))


@blueprint.route("/units", methods=["GET", "POST"])
def units() -> ResponseReturnValue:
    """Show the units that a person reads and types in."""
    person = signed_in()
    if request.method == "POST":
        typed = Typed(request.form)
        services().people.read_in({kept: typed.text(f"unit-{kept}") or kept for kept in kept_units()}, person)
        return redirect(url_for("today.page"))
    own = {f"unit-{kept}": person.units.get(kept, kept) for kept in kept_units()}
    asked = [(kept, _UNIT_WORDS[kept], [(name, name) for name in choices(kept)]) for kept in kept_units()]
    return render_template("auth/units.html", asked=asked, values=own, errors={})


@blueprint.post("/theme")
def theme() -> ResponseReturnValue:
    """Change between daylight and dusk."""
    chosen = "dusk" if request.form.get("theme") == "dusk" else "day"
    answer = redirect(_local_path(request.form.get("back")))
    answer.set_cookie("theme", chosen, max_age=A_YEAR_S, samesite="Lax", secure=True, httponly=True)
    return answer


def _demo_roles() -> tuple[str, ...]:
    return ("technician", "supervisor") if current_app.config["DEMO"] else ()


def _enter(login: str, password: str, target: str = "") -> ResponseReturnValue:
    """Sign somebody in; the browser is known from then on."""
    target, known = target or _local_path(request.form.get("next")), _browser()
    stay = services().people.sign_in(login, password, request.remote_addr or "", known)
    session.clear()
    login_user(SignedIn(stay.person, stay.key))
    answer = redirect(target)
    cookie = _signed().dumps([known])
    answer.set_cookie(_BROWSER, cookie, max_age=A_YEAR_S, samesite="Lax", secure=True, httponly=True)
    return answer


def _signed() -> URLSafeSerializer:
    return URLSafeSerializer(str(current_app.secret_key), _BROWSER)


def _browser() -> str:
    """Return the name that the browser is known by: its cookie's, or a new one where it has none of our making."""
    try:
        return str(_signed().loads(request.cookies.get(_BROWSER, ""))[0])
    except BadSignature:
        return str(uuid.uuid4())


def _local_path(path: str | None) -> str:
    """Return a path of this application, or its first page."""
    parts = urlsplit(path or "")
    if not parts.path.startswith("/") or parts.netloc or parts.scheme or "\\" in parts.path or "//" in parts.path:
        return url_for("today.page")
    return f"{parts.path}?{parts.query}" if parts.query else parts.path
