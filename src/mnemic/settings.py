"""Settings, each from an environment variable ``MNEMIC_…``."""

import ipaddress
from pathlib import Path

from pydantic import Field, SecretStr, ValidationError, field_validator
from pydantic_settings import BaseSettings, SettingsConfigDict

from mnemic.core import MnemicError

__all__ = ["Settings", "SettingsError", "read_settings"]


class SettingsError(MnemicError):
    """A setting that can't be used; the text names the environment variable."""


class Settings(BaseSettings):
    """Where Mnemic listens and where it keeps its mail."""

    model_config = SettingsConfigDict(env_prefix="MNEMIC_", frozen=True)

    host: str = Field("127.0.0.1", description="address to listen on; loopback only")
    port: int = Field(8420, ge=0, le=65535, description="port of the browser's side; 0 takes any")
    smtp_port: int = Field(8425, ge=0, le=65535, description="port for SMTP; 0 takes any")
    data: Path = Field(Path("mnemic-data"), description="folder of the database")
    secret_key: SecretStr | None = Field(
        None, description="key of kept passwords, 32 characters or more; else a file has one"
    )
    largest: int = Field(
        64 * 2**20, ge=1, description="octets of the largest message fetched whole from a server"
    )
    drop: Path = Field(Path("drop"), description="folder that is watched for mail, inside data")

    @field_validator("host")
    @classmethod
    def _loopback_only(cls, value: str) -> str:
        value = "127.0.0.1" if value == "localhost" else value
        try:
            loopback = ipaddress.ip_address(value).is_loopback
        except ValueError:
            loopback = False
        if not loopback:
            raise ValueError(
                "Mnemic has no sign-in yet, so it listens on this computer alone; "
                "use 127.0.0.1, ::1 or localhost"
            )
        return value

    @property
    def drop_folder(self) -> Path:
        """The folder that is watched for mail."""
        return self.data / self.drop  # an absolute path stands for itself

    @property
    def incoming(self) -> Path:
        """Where uploaded files lie until they are taken in."""
        return self.data / "incoming"

    @property
    def queue(self) -> Path:
        """The file that says which work is to be done next in the background."""
        return self.data / "queue.sqlite3"

    @property
    def secret_file(self) -> Path:
        """The file of the key that passwords are kept with; it is in no backup."""
        return self.data / "secret.key"

    @property
    def locks(self) -> Path:
        """The folder of what tells processes from working on the same thing at once."""
        return self.data / "locks"

    @property
    def database(self) -> Path:
        """The database file."""
        return self.data / "mnemic.sqlite3"


def read_settings() -> Settings:
    """Read the settings; raises SettingsError with every variable that is wrong."""
    try:
        return Settings()
    except ValidationError as error:
        lines = [
            f"MNEMIC_{'_'.join(map(str, detail['loc'])).upper()}: "
            + detail["msg"].removeprefix("Value error, ")
            for detail in error.errors()
        ]
        raise SettingsError("\n".join(lines)) from error
