"""Settings: read once from `fenland.toml` and `FENLAND_*`, then never changed.

The environment wins over the file. Paths in the file are relative to its folder.
"""

from __future__ import annotations

import ipaddress
import os
import re
from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path
from typing import Annotated, Any, Literal
from urllib.parse import urlsplit
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import (
    AfterValidator,
    BeforeValidator,
    Field,
    ValidationError,
    ValidationInfo,
    field_validator,
)
from pydantic_settings import (
    BaseSettings,
    NoDecode,
    PydanticBaseSettingsSource,
    SettingsConfigDict,
    TomlConfigSettingsSource,
)

from fenland.core.definitions.model import DefinitionMistakes, Mistake
from fenland.core.limits import Bounds, Limits
from fenland.core.names import did_you_mean
from fenland.service.outsiders import Origins as Kept
from fenland.service.outsiders import Outsiders
from fenland.service.outward import Outward
from fenland.service.ways_in import Issuer, WaysIn
from fenland.storage.door import DatabaseRefused, beside, refuse_unserved

FILE_NAME = "fenland.toml"


def _listed(value: Any) -> Any:
    """A list as the environment gives it: words by comma."""
    return [word.strip() for word in value.split(",") if word.strip()] if isinstance(value, str) else value


def _address(text: str) -> str:
    parts = urlsplit(text)
    if text and (parts.scheme not in ("http", "https") or not parts.netloc or parts.query or parts.fragment):
        raise ValueError("It must be like https://records.example or https://firm.example/records")
    return text.rstrip("/")


def _origin(text: str) -> str:
    parts = urlsplit(text)
    if text != "*" and (text != f"{parts.scheme}://{parts.netloc}" or parts.scheme not in ("http", "https")):
        raise ValueError("An origin is like https://app.example, with neither path nor / at its end; or *")
    return text.lower()


def _network(text: str) -> str:
    ipaddress.ip_network(text)
    return text


def _zone(text: str) -> str:
    try:
        ZoneInfo(text)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise ValueError("There is no such time zone. Write one such as Europe/London.") from None
    return text


#: Lists in the environment are words by comma, in the file TOML's arrays.
Words = Annotated[list[str], NoDecode, BeforeValidator(_listed)]
Origins = Annotated[list[Annotated[str, AfterValidator(_origin)]], NoDecode, BeforeValidator(_listed)]
Networks = Annotated[list[Annotated[str, AfterValidator(_network)]], NoDecode, BeforeValidator(_listed)]


class SettingsRefused(DefinitionMistakes):
    """Settings that cannot be used; `roles` are those that could be read all the same."""

    def __init__(self, mistakes: list[Mistake], roles: Sequence[str] = ()) -> None:
        super().__init__(mistakes)
        self.roles = roles


class Settings(BaseSettings):
    """Everything that can be set, with its default. docs/settings.md says more of each."""

    model_config = SettingsConfigDict(env_prefix="FENLAND_", extra="forbid", frozen=True)

    title: str = Field("Fenland", description="The name people see in the console.")
    roles: Words = Field([], description="The roles that access lists may name.")
    database: Path = Field(Path("fenland.db"), description="The SQLite file.")
    migrate_at_start: bool = Field(
        True, description="Whether a start takes in newer definitions that no stored data depends on."
    )
    backup_hours: float = Field(
        0, ge=0, description="Hours between two backups that the service makes; 0: none."
    )
    backup_folder: Path = Field(Path("backups"), description="Where they are put.")
    backup_keep: int = Field(7, ge=1, le=10_000, description="How many of them are kept, the newest.")
    migrate_keep: int = Field(
        10, ge=1, le=10_000, description="How many of the copies are kept that migrations make, the newest."
    )
    signing_key: Path = Field(
        Path(),
        description="The file of the key that signs the history; left out, beside the database.",
    )
    head_minutes: float = Field(
        0, ge=0, description="Minutes between two heads of the history that are sent elsewhere; 0: none."
    )
    head_target: str = Field("", description="The file or address that heads are sent to.")
    archive_folder: Path = Field(Path("archive"), description="Where archives of the history are put.")
    host: str = Field("127.0.0.1", description="The address to listen on.")
    port: int = Field(8460, ge=1, le=65535, description="The port to listen on.")
    public_address: Annotated[str, AfterValidator(_address)] = Field(
        "", description="Where clients reach the service when that is behind a proxy, its path included."
    )
    trusted_proxies: Networks = Field(
        [], description="Addresses or networks of proxies whose X-Forwarded-For is believed."
    )
    allowed_origins: Origins = Field(
        [], description="Origins whose pages may ask the service from a browser; * for all."
    )
    account_managers: Words = Field([], description="Roles whose accounts manage all accounts over HTTP.")
    account_delegates: Words = Field([], description="Roles whose accounts may act on behalf of others.")
    account_subscribers: Words = Field(
        [], description="Roles whose accounts may have what they see sent to other systems."
    )
    history_auditors: Words = Field(
        [],
        description="Roles that may have the hashes of entries written before leaves had salts.",
    )
    issuer_joins_accounts: bool = Field(
        False, description="Whether the issuer's names are those of the accounts here."
    )
    password_ends_tokens: bool = Field(
        True, description="Whether a changed password ends the tokens made with it, or in its sessions."
    )
    session_across_sites: bool = Field(
        False,
        description="Whether sessions work for pages of allowed_origins on other sites; needs https.",
    )
    session_hours: float = Field(
        12, gt=0, le=720, description="Hours after which a session ends in any case."
    )
    session_idle_minutes: float = Field(
        60, gt=0, le=43_200, description="Minutes without a request after which a session ends."
    )
    rate_limit: int = Field(
        0, ge=0, description="Requests a minute of one account, and of one address; 0: any."
    )
    issuer: Annotated[str, AfterValidator(_address)] = Field(
        "", description="An outside issuer whose JSON Web Tokens are believed."
    )
    issuer_audience: str = Field("", description="The audience that such tokens must be for.")
    issuer_keys: Annotated[str, AfterValidator(_address)] = Field(
        "", description="Where the issuer's key set is; found by its discovery document if left out."
    )
    issuer_algorithms: Words = Field(
        ["RS256", "ES256", "EdDSA"], description="The algorithms that such tokens may be signed by."
    )
    issuer_name_claim: str = Field("sub", description="The claim that is taken for the account's name.")
    issuer_roles_claim: str = Field("roles", description="The claim that lists roles.")
    issuer_attributes_claim: str = Field("attributes", description="The claim that holds attributes.")
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
    list_memory: int = Field(
        4_000_000,
        ge=0,
        description="Lists that each process remembers while nothing changes, in bytes; 0: none.",
    )
    cascade_limit: int = Field(5_000, ge=1, description="Records that one deletion touches, at most.")
    consequence_limit: int = Field(
        10_000, ge=1, description="Records that are derived anew by one change, at most."
    )
    consequence_depth_limit: int = Field(
        8, ge=1, description="How many effects may follow from each other, one after the other."
    )
    rule_seconds: float = Field(
        2.0, gt=0, le=60, description="How long one function of rules.py may take, in seconds."
    )
    notice_days: int = Field(
        30, ge=1, le=3650, description="Days that notices of effects, and what became of them, are kept."
    )
    notice_timeout: float = Field(
        15, gt=0, le=120, description="Seconds in which a receiver of notices must answer."
    )
    notice_retry_seconds: float = Field(
        5, gt=0, le=3600, description="Seconds until a notice that was not taken is sent again; then longer."
    )
    notice_retry_hours: float = Field(
        72, gt=0, le=720, description="Hours for which it is sent again and again."
    )
    notice_plain_http: bool = Field(
        False, description="Whether notices may be sent by plain http, which anybody on the way can read."
    )
    notice_networks: Networks = Field(
        [], description="Networks that are not public, and that notices may be sent to all the same."
    )
    passes_outlive_makers: bool = Field(
        False,
        description="Whether passes go on, by their template alone, once their maker may hand out none.",
    )
    proposal_days: int = Field(
        365, ge=0, le=36_500, description="Days that settled proposals are kept; 0: for good."
    )
    proposal_origins: Kept = Field(
        "network", description="What is kept of the address that a proposal came from: whole, network, none."
    )
    page_colour: str = Field(
        "#2f6b4f",
        pattern="^#[0-9a-fA-F]{6}$",
        description="The colour of pages that are opened by passes, as # and six hexadecimal digits.",
    )
    subscription_limit: int = Field(
        50, ge=1, le=1_000, description="Other systems that notices are sent to, at most."
    )
    many_limit: int = Field(1_000, ge=1, description="Records that one change by filter touches, at most.")
    import_limit: int = Field(100_000, ge=1, description="Rows of a file that is imported, at most.")
    import_body_limit: int = Field(
        50_000_000, ge=1_000, description="The largest file that is imported, in bytes."
    )
    import_unpacked_limit: int = Field(
        64_000_000, ge=1_000_000, description="The largest spreadsheet once it is unpacked, in bytes."
    )
    time_zone: Annotated[str, AfterValidator(_zone)] = Field(
        "UTC", description="The time zone that `today` is in, such as Europe/London."
    )
    uri_schemes: Words = Field(
        ["http", "https", "mailto", "tel"], description="The schemes that values of format uri may have."
    )
    expression_length_limit: int = Field(
        10_000, ge=100, le=100_000, description="Characters of an expression that a caller sends, at most."
    )
    expression_nesting_limit: int = Field(
        60, ge=5, le=100, description="How deep an expression that a caller sends may nest."
    )
    expression_part_limit: int = Field(
        1_000, ge=10, le=10_000, description="Parts of an expression that a caller sends, at most."
    )
    evaluation_limit: int = Field(
        10_000_000, ge=100_000, description="Steps that the expressions of one request may take, at most."
    )
    long_reads: int = Field(4, ge=1, description="Long searches of one account at a time.")
    read_timeout: float = Field(20, ge=1, description="Seconds that a search may take.")
    connections: int = Field(10_000, ge=16, description="Connections held open, per process.")
    streams: int = Field(8_000, ge=1, description="Streams of changes held open, per process.")
    account_streams: int = Field(200, ge=1, description="Those of one account, per process.")
    head_timeout: float = Field(20, ge=1, description="Seconds for a request's head, or between requests.")
    body_timeout: float = Field(20, ge=1, description="Seconds for the whole of a request's body.")
    send_timeout: float = Field(
        60, ge=1, description="Seconds in which a client must take some of an answer."
    )
    shutdown_timeout: int = Field(20, ge=1, description="Seconds that running requests get at a stop.")
    log_format: Literal["text", "json"] = Field("text", description="How log lines are written.")
    log_level: Literal["debug", "info", "warning", "error"] = Field(
        "info", description="The least serious line that is logged."
    )

    @field_validator("database")
    @classmethod
    def _served(cls, value: Path) -> Path:
        try:
            refuse_unserved(str(value))
        except DatabaseRefused as error:
            raise ValueError(str(error)) from None
        return value

    @field_validator("session_across_sites")
    @classmethod
    def _across_sites_by_https(cls, value: bool, info: ValidationInfo) -> bool:
        """Browsers send such a cookie over https alone."""
        if value and not str(info.data.get("public_address", "")).startswith("https:"):
            raise ValueError("Browsers do this over https alone. Set public_address to an https address.")
        return value

    @property
    def key_file(self) -> Path:
        """Where the key lies that signs the history."""
        return beside(self.database, ".key") if self.signing_key == Path() else self.signing_key

    @property
    def prefix(self) -> str:
        """The path under which clients reach the service: empty, or like `/records`."""
        return urlsplit(self.public_address).path

    def ways_in(self) -> WaysIn:
        """Who manages accounts and how one signs in, as use cases take it."""
        issuer = None
        if self.issuer:
            claims = (self.issuer_name_claim, self.issuer_roles_claim, self.issuer_attributes_claim)
            algorithms = tuple(self.issuer_algorithms)
            issuer = Issuer(self.issuer, self.issuer_audience, self.issuer_keys, algorithms, claims)
        return WaysIn(
            managers=frozenset(self.account_managers),
            delegates=frozenset(self.account_delegates),
            auditors=frozenset(self.history_auditors),
            session=timedelta(hours=self.session_hours),
            idle=timedelta(minutes=self.session_idle_minutes),
            rate=self.rate_limit,
            issuer=issuer,
            origin="{0.scheme}://{0.netloc}".format(urlsplit(self.public_address))
            if self.public_address
            else "",
            path=self.prefix or "/",
            others=frozenset(self.allowed_origins) - {"*"},
            joined=self.issuer_joins_accounts,
            password_ends_tokens=self.password_ends_tokens,
            across_sites=self.session_across_sites,
        )

    def outward(self) -> Outward:
        """What is sent to other systems, as use cases take it."""
        return Outward(
            subscribers=frozenset(self.account_subscribers),
            most=self.subscription_limit,
            plain=self.notice_plain_http,
            networks=tuple(self.notice_networks),
            timeout=self.notice_timeout,
            pause=self.notice_retry_seconds,
            patience=timedelta(hours=self.notice_retry_hours),
            prefix=self.prefix,
        )

    def outsiders(self) -> Outsiders:
        """What is lent to people without an account, as use cases take it."""
        return Outsiders(
            outlive=self.passes_outlive_makers,
            kept=timedelta(days=self.proposal_days) if self.proposal_days else None,
            origins=self.proposal_origins,
            address=self.public_address,
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
            consequences=self.consequence_limit,
            depth=self.consequence_depth_limit,
            notice_days=self.notice_days,
            long_reads=self.long_reads,
            read_seconds=self.read_timeout,
            many=self.many_limit,
            rows=self.import_limit,
            file=self.import_body_limit,
            expression=Bounds(
                self.expression_length_limit, self.expression_nesting_limit, self.expression_part_limit
            ),
            evaluation=self.evaluation_limit,
            unpacked=self.import_unpacked_limit,
            zone=self.time_zone,
            schemes=frozenset(one.lower() for one in self.uri_schemes),
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


#: Variables of ours that are no settings: the command line reads them, or the service sets them itself.
_OTHER_VARIABLES = (
    "FENLAND_ADDRESS",
    "FENLAND_TOKEN",
    "FENLAND_PROJECT",
    "FENLAND_TIMEOUT",
    "FENLAND_PARENT",
    "FENLAND_SECRET",
)


def read_settings(folder: Path) -> Settings:
    """The settings of a project folder. Raises `SettingsRefused`, with every mistake at once."""
    path = folder / FILE_NAME
    if not path.is_file():
        what, hint = f"There is no {FILE_NAME} in {folder}.", f"Begin a project with: fenland new {folder}"
        raise SettingsRefused([Mistake(FILE_NAME, 1, "", what, hint)])
    try:
        given = TomlConfigSettingsSource(Settings, toml_file=path)()
    except (ValueError, OSError) as error:
        raise SettingsRefused([Mistake(FILE_NAME, 1, "", f"It cannot be read: {error}.", "")]) from None
    mistakes = [_unknown_variable(name) for name in sorted(os.environ) if _is_unknown(name)]
    try:
        settings = Settings(**given)
    except ValidationError as error:
        lines = path.read_text(encoding="utf-8").splitlines()
        mistakes += [_mistake(lines, one) for one in error.errors()]
    if mistakes:
        roles = given.get("roles", ())
        known = [one for one in roles if isinstance(one, str)] if isinstance(roles, list) else []
        raise SettingsRefused(mistakes, known)
    names = ("database", "backup_folder", "archive_folder")
    places: dict[str, Any] = {name: folder / getattr(settings, name) for name in names}
    if settings.signing_key != Path():
        places["signing_key"] = folder / settings.signing_key
    if settings.head_target and not settings.head_target.startswith(("http://", "https://")):
        places["head_target"] = str(folder / settings.head_target)
    return settings.model_copy(update=places)


def _is_unknown(variable: str) -> bool:
    prefix, _, name = variable.partition("_")
    return (
        prefix == "FENLAND" and variable not in _OTHER_VARIABLES and name.lower() not in Settings.model_fields
    )


def _unknown_variable(variable: str) -> Mistake:
    names = [f"FENLAND_{name.upper()}" for name in Settings.model_fields]
    what = f"There is no setting for the variable {variable} in the environment."
    return Mistake(FILE_NAME, 1, "", what, did_you_mean(variable, [*names, *_OTHER_VARIABLES]))


def _mistake(lines: Sequence[str], error: Any) -> Mistake:
    name = str(error["loc"][0]) if error["loc"] else ""
    found = (
        number for number, line in enumerate(lines, 1) if re.match(rf"\s*[\"']?{re.escape(name)}\b", line)
    )
    line = next(found, 0)
    if error["type"] == "extra_forbidden":
        hint = did_you_mean(name, Settings.model_fields)
        return Mistake(FILE_NAME, line or 1, f"/{name}", f"There is no setting {name!r}.", hint)
    variable = f"FENLAND_{name.upper()}"
    where = f"{variable} in the environment" if variable in os.environ else name
    what = f"{where} is {error['input']!r}."
    hint = error["msg"].removeprefix("Value error, ")
    return Mistake(FILE_NAME, line or 1, f"/{name}", what, f"{hint.rstrip('.')}.")
