"""Settings: read once from `fenland.toml` and `FENLAND_*`, then never changed.

The environment wins over the file. Paths in the file are relative to its folder.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

from pydantic import Field, ValidationError
from pydantic_settings import (
    BaseSettings,
    PydanticBaseSettingsSource,
    SettingsConfigDict,
    TomlConfigSettingsSource,
)

from fenland.core.limits import Limits
from fenland.core.names import did_you_mean

FILE_NAME = "fenland.toml"


class SettingsRefused(Exception):
    """Settings that cannot be used; the message names each with its remedy, one a line."""


class Settings(BaseSettings):
    """Everything that can be set, with its default. docs/settings.md says more of each."""

    model_config = SettingsConfigDict(env_prefix="FENLAND_", extra="forbid", frozen=True)

    title: str = Field("Fenland", description="The name people see in the console.")
    roles: list[str] = Field([], description="The roles that access lists may name.")
    database: Path = Field(Path("fenland.db"), description="The SQLite file.")
    host: str = Field("127.0.0.1", description="The address to listen on.")
    port: int = Field(8460, ge=1, le=65535, description="The port to listen on.")
    workers: int = Field(1, ge=1, le=64, description="Processes that answer requests.")
    threads: int = Field(32, ge=1, le=1024, description="Requests answered at a time, per process.")
    body_limit: int = Field(1_000_000, ge=1_000, description="The largest body read, in bytes.")
    nesting_limit: int = Field(32, ge=2, le=200, description="How deep JSON that is read may nest.")
    operation_limit: int = Field(1_000, ge=1, description="Operations, or edits, in one patch, at most.")
    record_limit: int = Field(
        4_000_000, ge=1_000, description="The largest record kept, in characters of JSON."
    )
    batch_limit: int = Field(500, ge=1, description="Things done in one batch, at most.")
    answer_limit: int = Field(
        16_000_000, ge=10_000, description="The most that one answer holds, in characters of JSON."
    )
    cascade_limit: int = Field(5_000, ge=1, description="Records that one deletion touches, at most.")
    long_reads: int = Field(4, ge=1, description="Long searches of one account at a time.")
    read_timeout: float = Field(20, ge=1, description="Seconds that a search may take.")
    connections: int = Field(10_000, ge=16, description="Connections held open, per process.")
    head_timeout: float = Field(20, ge=1, description="Seconds for a request's head, or between requests.")
    body_timeout: float = Field(20, ge=1, description="Seconds for the whole of a request's body.")
    send_timeout: float = Field(
        60, ge=1, description="Seconds in which a client must take some of an answer."
    )
    stop_timeout: int = Field(20, ge=1, description="Seconds that running requests get at a stop.")
    log_format: Literal["text", "json"] = Field("text", description="How log lines are written.")
    log_level: Literal["debug", "info", "warning", "error"] = Field(
        "info", description="The least serious line that is logged."
    )

    def limits(self) -> Limits:
        """The bounds on requests, as the core takes them."""
        return Limits(
            body=self.body_limit,
            nesting=self.nesting_limit,
            operations=self.operation_limit,
            record=self.record_limit,
            batch=self.batch_limit,
            answer=self.answer_limit,
            cascade=self.cascade_limit,
            long_reads=self.long_reads,
            read_seconds=self.read_timeout,
        )

    @classmethod
    def settings_customise_sources(
        cls,
        settings_cls: type[BaseSettings],
        init_settings: PydanticBaseSettingsSource,
        env_settings: PydanticBaseSettingsSource,
        dotenv_settings: PydanticBaseSettingsSource,
        file_secret_settings: PydanticBaseSettingsSource,
    ) -> tuple[PydanticBaseSettingsSource, ...]:
        """The environment first, then what the caller read from the file."""
        return env_settings, init_settings


def read_settings(folder: Path) -> Settings:
    """The settings of a project folder. Raises `SettingsRefused`."""
    path = folder / FILE_NAME
    if not path.is_file():
        raise SettingsRefused(
            f"There is no {FILE_NAME} in {folder}. Begin a project with: fenland new {folder}"
        )
    try:
        given = TomlConfigSettingsSource(Settings, toml_file=path)()
        settings = Settings(**given)
    except ValidationError as error:
        raise SettingsRefused("\n".join(_told(path, one) for one in error.errors())) from None
    except (ValueError, OSError) as error:
        raise SettingsRefused(f"{path}: cannot be read: {error}.") from None
    return settings.model_copy(update={"database": folder / settings.database})


def _told(path: Path, error: Any) -> str:
    name = str(error["loc"][0]) if error["loc"] else ""
    where = f"{path}, or FENLAND_{name.upper()} in the environment"
    if error["type"] == "extra_forbidden":
        return f"{path}: there is no setting {name!r}. {did_you_mean(name, Settings.model_fields)}"
    return f"{where}: {name} is {error['input']!r}. {error['msg']}."
