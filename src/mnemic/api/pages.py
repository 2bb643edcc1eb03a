"""The built front end: its files, and its page for every address inside the app."""

from pathlib import Path
from typing import Any

from flask import Blueprint, Response, send_from_directory

from mnemic.api.problem import problem_response

__all__ = ["FRONT_END", "pages_blueprint"]

#: Where the build puts the front end.
FRONT_END = Path(__file__).parent.parent / "web"

_YEAR = 31_536_000


def _read(file: Response) -> Response:
    """A file's answer, read at once: whoever goes before it is sent leaves no file open."""
    opened: Any = file.response
    file.direct_passthrough = False
    file.get_data()
    getattr(opened, "close", lambda: None)()
    return file


def pages_blueprint(folder: Path = FRONT_END) -> Blueprint:
    """The front end."""
    blueprint = Blueprint("pages", __name__)

    @blueprint.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        # Names carry a digest of the content, so a browser may keep them.
        return _read(send_from_directory(folder / "assets", name, max_age=_YEAR))

    @blueprint.get("/", defaults={"path": ""})
    @blueprint.get("/<path:path>")
    def page(path: str) -> Response:
        if path.startswith(("api/", "openapi")):
            return problem_response(
                404, "Not found", f"There is no /{path} here. Begin at the first page."
            )
        if not (folder / "index.html").is_file():
            detail = "The front end has not been built; run “make setup”."
            return problem_response(503, "Not built", detail)
        return _read(send_from_directory(folder, "index.html", max_age=0))

    return blueprint
