"""Making the Flask app."""

from __future__ import annotations

import secrets
from typing import Any

from flask import Blueprint, Flask, Response, g, request, send_from_directory
from flask_openapi3.models.info import Info
from flask_wtf.csrf import CSRFProtect
from pydantic import ValidationError
from werkzeug.middleware.proxy_fix import ProxyFix

from mavrik import __version__
from mavrik.core.registry import modules_of
from mavrik.exchange.bundle import LARGEST_BUNDLE_BYTES
from mavrik.exchange.photos import LARGEST_PHOTO_BYTES
from mavrik.exchange.sheet import ASSETS
from mavrik.jobs.captures import LARGEST_FILE_BYTES
from mavrik.jobs.sessions import LASTS
from mavrik.store.database import Database
from mavrik.web import access, gate, kept, observe, problems, repeat
from mavrik.web.access import PUBLIC, needs
from mavrik.web.areas import captures, jobs, labels, photos
from mavrik.web.described import Api
from mavrik.web.settings import Settings


def create_app(settings: Settings) -> Api:
    """The whole server.

    settings: database, secret key and the rest
    """
    app = Api(
        "mavrik",
        info=Info(title="Mavrik", version=__version__),
        static_folder=None,
        doc_ui=False,
        security_schemes={"session": {"type": "apiKey", "in": "cookie", "name": SESSION_COOKIE}},
        validation_error_status=422,
        validation_error_model=problems.ProblemDocument,
        validation_error_callback=_invalid,
    )
    app.config.update(
        MAVRIK=settings,
        SECRET_KEY=settings.secret_key,
        SESSION_COOKIE_NAME=SESSION_COOKIE,
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_SECURE=settings.https,
        PERMANENT_SESSION_LIFETIME=LASTS,
        MAX_CONTENT_LENGTH=LARGEST_BODY_BYTES,
        WTF_CSRF_TIME_LIMIT=None,
    )
    if settings.proxies:
        n = settings.proxies
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=n, x_proto=n, x_host=n)  # type: ignore[method-assign]
    app.extensions["mavrik_database"] = Database(settings.database_url)
    observe.install(app, settings.metrics_token)
    problems.install(app)
    _install_headers(app)
    access.install(app)
    CSRFProtect(app)
    kept.install(app)
    gate.install(app)
    repeat.install(app)
    for area in modules_of("mavrik.web.areas"):
        app.register_api(area.api)
    app.register_blueprint(_pages(settings))
    return app


SESSION_COOKIE = "mavrik"
LARGEST_BODY_BYTES = 2_000_000
LARGEST_ARCHIVE_BYTES = 200_000_000
ROOM = {
    captures.UPLOAD: LARGEST_FILE_BYTES,
    photos.UPLOAD: LARGEST_PHOTO_BYTES,
    labels.UPLOAD: LARGEST_PHOTO_BYTES,
    "jobs.post_import": LARGEST_BUNDLE_BYTES,
    jobs.ARCHIVE: LARGEST_ARCHIVE_BYTES,
}
"""Endpoints that take a file, and how large a one."""


def _invalid(error: ValidationError) -> Response:
    return problems.invalid(error)


def _install_headers(app: Flask) -> None:
    """Security headers on every answer; the content policy allows only what the build ships."""

    @app.before_request
    def new_nonce() -> None:
        g.nonce = secrets.token_urlsafe(16)

    @app.before_request
    def room_for_files() -> None:
        # Said before the write token is looked for, which looks at the body.
        if request.endpoint in ROOM:
            request.max_content_length = ROOM[request.endpoint]

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = (
            "default-src 'none'; script-src 'self'; connect-src 'self'; img-src 'self' data:; font-src 'self'; "
            f"style-src 'self' 'nonce-{g.get('nonce', '')}'; frame-src 'self'; frame-ancestors 'self'; "
            "base-uri 'none'; form-action 'self'"
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.headers["Permissions-Policy"] = "camera=(), microphone=(), geolocation=()"
        if app.config["SESSION_COOKIE_SECURE"]:
            response.headers["Strict-Transport-Security"] = "max-age=31536000"
        if request.path.startswith("/api/"):
            response.headers["Cache-Control"] = "no-store"
        return response


def _pages(settings: Settings) -> Blueprint:
    """The front end's files, and its one page for every address a person may type."""
    pages = Blueprint("pages", __name__)

    @pages.get("/assets/<path:name>")
    @needs(PUBLIC)
    def assets(name: str) -> Any:
        return send_from_directory(settings.static / "assets", name, max_age=31536000)

    @pages.get("/sheet-assets/<name>")
    @needs(PUBLIC)
    def sheet_assets(name: str) -> Any:
        if not name.endswith(".woff2"):
            return problems.problem(404, "not-found", "Not found", "There is no such file.")
        return send_from_directory(ASSETS, name, max_age=31536000)

    @pages.get("/")
    @pages.get("/<path:path>")
    @needs(PUBLIC)
    def page(path: str = "") -> Any:
        if path.startswith("api/"):
            return problems.problem(404, "not-found", "Not found", "There is no such address.")
        if path == "favicon.svg":
            return send_from_directory(settings.static, path, max_age=86400)
        html = (settings.static / "index.html").read_text(encoding="utf-8").replace("%NONCE%", g.nonce)
        return Response(html, mimetype="text/html", headers={"Cache-Control": "no-store"})

    return pages


def from_environment() -> Api:
    """With the settings of the environment."""
    return create_app(Settings.from_environment())
