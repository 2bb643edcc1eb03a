"""Every request is checked, and every answer says what its page may load and do."""

from flask import Flask, Response, request

from mnemic.api.own_pages import own_hosts, refusal
from mnemic.api.problem import problem_response

__all__ = ["register_guard"]

#: Pages load from this server alone: no other host, no inline script. Element Plus sets
#: positions through style attributes, which `style-src` covers when they come as text.
_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; form-action 'none'; frame-ancestors 'self'"
)

#: What no page of ours needs, and none shown inside one gets.
_PERMISSIONS = "camera=(), geolocation=(), microphone=(), payment=(), usb=()"


def register_guard(app: Flask) -> None:
    """Check every request, and say on every answer what it may load.

    The server's port is ``app.config["PORT"]``.
    """

    @app.before_request
    def _check() -> Response | None:
        hosts = own_hosts(app.config["PORT"])
        refused = refusal(request.method, request.path, request.headers.get, hosts)
        if refused is not None:
            return problem_response(refused.status, refused.title, refused.detail)
        if request.is_json and request.content_length:
            request.get_json()  # raises BadRequest, which says what is wrong with the JSON
        return None

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.headers["Permissions-Policy"] = _PERMISSIONS
        if request.path.startswith("/api/"):
            response.headers["Cache-Control"] = "no-store"  # mail is not left in a browser's files
        return response
