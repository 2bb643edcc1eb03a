"""The HTTP API and the pages, as a Flask application."""

from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.info import Info
from flask_openapi3.openapi import OpenAPI

from mnemic import __version__
from mnemic.api.account_scripts import account_scripts_blueprint
from mnemic.api.catch_ups import catch_ups_blueprint
from mnemic.api.changes import changes_blueprint
from mnemic.api.connections import connections_blueprint
from mnemic.api.contacts import contacts_blueprint
from mnemic.api.elsewhere import elsewhere_blueprint
from mnemic.api.events import EventBus, events_blueprint
from mnemic.api.find import find_blueprint
from mnemic.api.folders import folders_blueprint
from mnemic.api.guard import register_guard
from mnemic.api.history import history_blueprint
from mnemic.api.insights import insights_blueprint
from mnemic.api.labels import labels_blueprint
from mnemic.api.line import line_blueprint
from mnemic.api.mailbox import mailbox_blueprint
from mnemic.api.messages import messages_blueprint
from mnemic.api.news import news_blueprint
from mnemic.api.open_message import open_message_blueprint
from mnemic.api.outside import outside_blueprint
from mnemic.api.own_pages import BODY_LIMIT
from mnemic.api.owner import owner_blueprint
from mnemic.api.pages import pages_blueprint
from mnemic.api.problem import ProblemDetails, invalid_response, register_problems
from mnemic.api.proposals import proposals_blueprint
from mnemic.api.rehearsal import rehearsal_blueprint
from mnemic.api.rule_documents import rule_documents_blueprint
from mnemic.api.rules import rules_blueprint
from mnemic.api.transfers import transfers_blueprint
from mnemic.api.why import why_blueprint
from mnemic.jobs.catch_up.worker import Worker
from mnemic.jobs.intake.import_desk import ImportDesk
from mnemic.jobs.server.passes import Passes
from mnemic.post.imap.other_device import Elsewhere
from mnemic.store import Database

__all__ = ["EventBus", "create_app"]


def _blueprints(
    database: Database,
    bus: EventBus,
    desk: ImportDesk,
    worker: Worker,
    smtp: tuple[str, int],
    passes: Passes,
    elsewhere: Elsewhere | None,
) -> tuple[APIBlueprint, ...]:
    return (
        mailbox_blueprint(database),
        folders_blueprint(database),
        labels_blueprint(database),
        messages_blueprint(database),
        news_blueprint(database),
        open_message_blueprint(database),
        changes_blueprint(database),
        find_blueprint(database),
        owner_blueprint(database),
        connections_blueprint(database, passes),
        account_scripts_blueprint(database, passes),
        contacts_blueprint(database),
        transfers_blueprint(database, desk),
        outside_blueprint(database, smtp, elsewhere.smtp if elsewhere else None),
        elsewhere_blueprint(elsewhere),
        rules_blueprint(database),
        line_blueprint(database),
        rule_documents_blueprint(database),
        rehearsal_blueprint(database),
        catch_ups_blueprint(database, worker),
        history_blueprint(database),
        why_blueprint(database),
        insights_blueprint(database),
        proposals_blueprint(database),
        events_blueprint(bus),
    )


def create_app(
    database: Database,
    bus: EventBus,
    desk: ImportDesk,
    worker: Worker,
    *,
    port: int,
    smtp: tuple[str, int],
    passes: Passes,
    elsewhere: Elsewhere | None = None,
) -> OpenAPI:
    """The application on ``port`` of this computer; ``smtp`` is where mail comes in.

    ``passes`` are those over connected accounts; ``elsewhere`` is a stand-in that runs beside it.
    """
    app = OpenAPI(
        "mnemic",
        info=Info(title="Mnemic", version=__version__),
        validation_error_model=ProblemDetails,
        validation_error_callback=invalid_response,
        doc_prefix="/api",
        security_schemes={},  # else the description holds a null where an object has to be
        static_folder=None,
    )
    app.config["PORT"] = port
    app.config["MAX_CONTENT_LENGTH"] = BODY_LIMIT
    register_problems(app)
    register_guard(app)
    for blueprint in _blueprints(database, bus, desk, worker, smtp, passes, elsewhere):
        app.register_api(blueprint)
    app.register_blueprint(pages_blueprint())
    return app
