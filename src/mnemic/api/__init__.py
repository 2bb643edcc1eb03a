"""The HTTP API and the pages, as a Flask application."""

from flask_openapi3.models.info import Info
from flask_openapi3.openapi import OpenAPI

from mnemic import __version__
from mnemic.api.events import EventBus, events_blueprint
from mnemic.api.guard import register_guard
from mnemic.api.mailbox import mailbox_blueprint
from mnemic.api.messages import messages_blueprint
from mnemic.api.pages import pages_blueprint
from mnemic.api.problem import ProblemDetails, invalid_response, register_problems
from mnemic.api.rules import rules_blueprint
from mnemic.store import Database

__all__ = ["EventBus", "create_app"]


def create_app(database: Database, bus: EventBus, *, port: int) -> OpenAPI:
    """The application that answers on ``port`` of this computer."""
    app = OpenAPI(
        "mnemic",
        info=Info(title="Mnemic", version=__version__),
        validation_error_model=ProblemDetails,
        validation_error_callback=invalid_response,
        doc_prefix="/api",
        static_folder=None,
    )
    app.config["PORT"] = port
    register_problems(app)
    register_guard(app)
    for blueprint in (
        mailbox_blueprint(database),
        messages_blueprint(database),
        rules_blueprint(database),
        events_blueprint(bus),
    ):
        app.register_api(blueprint)
    app.register_blueprint(pages_blueprint())
    return app
