"""Contacts, and vCard both ways."""

from typing import Annotated

from flask import Response, request
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.owner import AddressText
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.jobs.people.contact_cards import export_contacts, import_contacts
from mnemic.post.vcard import VcardError, card_of
from mnemic.store import Database
from mnemic.store.owner.contacts import Contact, change_contact, delete_contact, list_contacts

__all__ = ["contacts_blueprint"]


class ContactIn(Described):
    """A contact's name and addresses."""

    name: Line = Field(min_length=1, max_length=200)
    addresses: Annotated[list[AddressText], Field(min_length=1, max_length=50)]


class ContactOut(Answer):
    """A contact."""

    id: int
    name: str
    addresses: list[str]


class ContactsOut(Answer):
    """Everybody in the address book, by name."""

    contacts: list[ContactOut]


class ContactPath(Described):
    """Which contact."""

    id: QueryNumber


class ContactsImportedOut(Answer):
    """How many contacts were added, and how many were here already."""

    added: int
    known: int


def contacts_blueprint(database: Database) -> APIBlueprint:
    """The address book."""
    blueprint = APIBlueprint(
        "contacts", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.get("/api/contacts", summary="The address book", responses={200: ContactsOut})
    def contacts() -> Response:
        with database.reading() as session:
            contacts_here = list_contacts(session)
        listed = [ContactOut.model_validate(contact) for contact in contacts_here]
        return json_body(ContactsOut(contacts=listed))

    @blueprint.post("/api/contacts", summary="A new contact", responses={201: ContactOut})
    def add(body: ContactIn) -> Response:
        with database.writing() as session:
            card = card_of(body.name, body.addresses)
            kept = change_contact(session, Contact(0, body.name, tuple(body.addresses), card))
        return json_body(ContactOut.model_validate(kept), 201)

    @blueprint.put("/api/contacts/<int:id>", summary="Change it", responses={200: ContactOut})
    def change(path: ContactPath, body: ContactIn) -> Response:
        with database.writing() as session:
            there = next(
                (contact for contact in list_contacts(session) if contact.id == path.id), None
            )
            if there is None:
                return not_found("contact")
            card = card_of(body.name, body.addresses, there.card)
            kept = change_contact(session, Contact(path.id, body.name, tuple(body.addresses), card))
        return json_body(ContactOut.model_validate(kept))

    @blueprint.delete("/api/contacts/<int:id>", summary="Forget it", responses={204: None})
    def delete(path: ContactPath) -> Response:
        with database.writing() as session:
            there = delete_contact(session, path.id)
        return Response(status=204) if there else not_found("contact")

    _add_cards(blueprint, database)
    return blueprint


def _add_cards(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get("/api/contacts.vcf", summary="The address book as vCard")
    def cards() -> Response:
        with database.reading() as session:
            text = export_contacts(session)
        headers = {"Content-Disposition": 'attachment; filename="contacts.vcf"'}
        return Response(text, mimetype="text/vcard", headers=headers)

    @blueprint.post(
        "/api/contacts.vcf",
        summary="Take contacts in from vCard",
        responses={200: ContactsImportedOut},
    )
    def take() -> Response:
        try:
            with database.writing() as session:
                done = import_contacts(session, request.get_data())
        except VcardError as error:
            return problem_response(422, "Not a vCard", f"{error}.")
        return json_body(ContactsImportedOut.model_validate(done))
