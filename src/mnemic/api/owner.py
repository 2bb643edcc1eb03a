"""Whose mailbox it is: accounts with their aliases, and preferences."""

from typing import Annotated

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import AfterValidator, Field

from mnemic.api.answer import Answer
from mnemic.api.described import Described
from mnemic.api.given import Line, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails, not_found, problem_response
from mnemic.core.message.addresses import parse_addresses
from mnemic.store import Database
from mnemic.store.owner.accounts import (
    Account,
    AddressTakenError,
    change_account,
    delete_account,
    list_accounts,
)
from mnemic.store.owner.preferences import Preferences, change_preferences, read_preferences
from mnemic.store.server.connections import connection_of

__all__ = ["AddressText", "owner_blueprint"]


def _address(value: str) -> str:
    addresses = parse_addresses(value)
    if len(addresses) != 1 or not addresses[0].local or not addresses[0].domain:
        raise ValueError("has to be an address like name@domain")
    return addresses[0].address


#: One address, like name@domain; a display name beside it is dropped.
AddressText = Annotated[Line, Field(max_length=320), AfterValidator(_address)]


class AccountIn(Described):
    """An account: what to call it, its address, and its other addresses."""

    name: Line = Field(min_length=1, max_length=100)
    address: AddressText
    aliases: Annotated[list[AddressText], Field(max_length=500)] = Field([])


class AccountOut(Answer):
    """An account."""

    id: int
    name: str
    address: str
    aliases: list[str]


class AccountsOut(Answer):
    """Every account, in the order in which they were made."""

    accounts: list[AccountOut]


class AccountPath(Described):
    """Which account."""

    id: QueryNumber


def owner_blueprint(database: Database) -> APIBlueprint:
    """Accounts and preferences."""
    blueprint = APIBlueprint(
        "owner", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.get("/api/accounts", summary="Accounts", responses={200: AccountsOut})
    def accounts() -> Response:
        with database.reading() as session:
            all_accounts = list_accounts(session)
        listed = [AccountOut.model_validate(account) for account in all_accounts]
        return json_body(AccountsOut(accounts=listed))

    @blueprint.post("/api/accounts", summary="A new account", responses={201: AccountOut})
    def add(body: AccountIn) -> Response:
        account = Account(0, body.name, body.address, tuple(body.aliases))
        return _saved(database, account, 201)

    @blueprint.put("/api/accounts/<int:id>", summary="Change it", responses={200: AccountOut})
    def change(path: AccountPath, body: AccountIn) -> Response:
        with database.reading() as session:
            if path.id not in {account.id for account in list_accounts(session)}:
                return not_found("account")
        account = Account(path.id, body.name, body.address, tuple(body.aliases))
        return _saved(database, account, 200)

    @blueprint.delete("/api/accounts/<int:id>", summary="Forget it", responses={204: None})
    def delete(path: AccountPath) -> Response:
        with database.writing() as session:
            if connection_of(session, path.id) is not None:
                connected = "it is connected to a server; take the connection away instead"
                return problem_response(422, "Not possible", f"{connected}.")
            there = delete_account(session, path.id)
        return Response(status=204) if there else not_found("account")

    _add_preferences(blueprint, database)
    return blueprint


def _saved(database: Database, account: Account, status: int) -> Response:
    try:
        with database.writing() as session:
            kept = change_account(session, account)
    except AddressTakenError as error:
        return problem_response(422, "Not possible", f"{error}.")
    return json_body(AccountOut.model_validate(kept), status)


def _add_preferences(blueprint: APIBlueprint, database: Database) -> None:
    @blueprint.get("/api/preferences", summary="Preferences", responses={200: Preferences})
    def preferences() -> Response:
        with database.reading() as session:
            return json_body(read_preferences(session))

    @blueprint.put("/api/preferences", summary="Change them", responses={200: Preferences})
    def prefer(body: Preferences) -> Response:
        with database.writing() as session:
            change_preferences(session, body)
        return json_body(body)
