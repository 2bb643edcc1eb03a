"""Who may ask: this computer's own browser alone, and what its pages may load."""

from flask import Flask, Response, request

from mnemic.api.problem import problem_response

__all__ = ["register_guard"]

#: Pages load from this server alone: no other host, no inline script. Element Plus sets
#: positions through style attributes, which `style-src` covers when they come as text.
_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; form-action 'none'; frame-ancestors 'self'"
)

_CHANGING = frozenset({"POST", "PUT", "PATCH", "DELETE"})


def _own_hosts(port: int) -> frozenset[str]:
    names = ("127.0.0.1", "localhost", "[::1]")
    return frozenset(names) if port == 80 else frozenset(f"{name}:{port}" for name in names)


def _refusal(hosts: frozenset[str]) -> Response | None:
    # A page of another site can point a name of its own at 127.0.0.1 and then read answers;
    # the Host it sends still is that name.
    host = request.headers.get("Host", "")
    if host not in hosts:
        return problem_response(421, "Misdirected request", "This server answers as itself alone.")
    origin = request.headers.get("Origin")
    if request.method in _CHANGING and origin is not None and origin != f"http://{host}":
        return problem_response(403, "Refused", "Changes are taken from Mnemic's own pages alone.")
    return None


def register_guard(app: Flask) -> None:
    """Check every request, and say on every answer what it may load.

    The server's port is ``app.config["PORT"]``.
    """

    @app.before_request
    def _check() -> Response | None:
        refusal = _refusal(_own_hosts(app.config["PORT"]))
        if refusal is None and request.is_json and request.content_length:
            request.get_json()  # raises BadRequest, which says what is wrong with the JSON
        return refusal

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        return response
