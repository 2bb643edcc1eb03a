"""Outside: the stand-in's mailbox as another device would see it, and what a person does there."""

from datetime import datetime

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, Number
from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.post.failures import ServerError
from mnemic.post.imap.other_device import DeviceAct, Elsewhere, OtherDevice, other_device

__all__ = ["elsewhere_blueprint"]

_INBOX = "INBOX"


class FolderThereOut(Answer):
    """A folder as it lies on the server."""

    name: str
    messages: int
    unread: int


class MailThereOut(Answer):
    """A message as it lies on the server."""

    uid: int
    subject: str
    sender: str
    received: datetime
    seen: bool
    flagged: bool
    keywords: list[str]


class OnServerOut(Answer):
    """The server's folders and the mail of one; ``server`` is None where no stand-in runs."""

    server: str | None
    user: str
    folder: str
    folders: list[FolderThereOut]
    mail: list[MailThereOut]


class FolderThereQuery(Described):
    """Which folder of the server."""

    folder: Line = Field(_INBOX, max_length=1_000)


class DeviceActIn(Described):
    """Something done to a message on another device; ``target`` is where it is moved to."""

    folder: Line = Field(max_length=1_000)
    uid: Number = Field(ge=1)
    do: DeviceAct
    target: Line = Field("", max_length=1_000)


def _told(device: OtherDevice, elsewhere: Elsewhere, folder: str) -> OnServerOut:
    folders = device.folders()
    shown = folder if folder in {other.name for other in folders} else _INBOX
    return OnServerOut(
        server=elsewhere.access.address,
        user=elsewhere.access.user,
        folder=shown,
        folders=[FolderThereOut.model_validate(listed) for listed in folders],
        mail=[MailThereOut.model_validate(mail) for mail in device.mail(shown)],
    )


def _failed(error: ServerError) -> Response:
    saying = f"{error}"[:1].upper() + f"{error}"[1:]
    return problem_response(502, "Not done", f"{saying}.")


def elsewhere_blueprint(elsewhere: Elsewhere | None) -> APIBlueprint:
    """The mailbox on the stand-in, where there is one."""
    blueprint = APIBlueprint(
        "elsewhere", __name__, abp_responses={404: ProblemDetails, 502: ProblemDetails}
    )

    @blueprint.get("/api/outside/elsewhere", summary="On the server", responses={200: OnServerOut})
    def there(query: FolderThereQuery) -> Response:
        if elsewhere is None:
            return json_body(OnServerOut(server=None, user="", folder="", folders=[], mail=[]))
        try:
            with other_device(elsewhere.access) as device:
                return json_body(_told(device, elsewhere, query.folder))
        except ServerError as error:
            return _failed(error)

    @blueprint.post(
        "/api/outside/elsewhere", summary="Done on another device", responses={204: None}
    )
    def done(body: DeviceActIn) -> Response:
        if elsewhere is None:
            return not_found("stand-in")
        try:
            with other_device(elsewhere.access) as device:
                device.do(body.folder, body.uid, body.do, body.target)
        except ServerError as error:
            return _failed(error)
        return Response(status=204)

    return blueprint
