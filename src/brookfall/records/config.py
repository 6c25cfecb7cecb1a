"""Configuration, from environment variables alone, checked as a whole before anything starts."""

from datetime import UTC, date, datetime, time
from functools import cache
from ipaddress import IPv4Network, IPv6Network, ip_network
from pathlib import Path
from typing import Annotated, Self
from zoneinfo import ZoneInfo, available_timezones

from pydantic import ByteSize, Field, ValidationError, field_validator, model_validator
from pydantic_settings import BaseSettings, NoDecode, SettingsConfigDict

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.sizes import DEFAULT_MAX_BYTES
from brookfall.records.clock import now
from brookfall.records.roles import ROLES

PREFIX = "BROOKFALL_"


class Config(BaseSettings):
    """Where things are. ``database_url`` is what the application runs as; of who owns the tables it knows nothing.

    A fit may take ``fit_seconds`` and ``fit_megabytes`` of memory beyond what its worker holds; 0 is no limit.
    What a worker holds goes to another when nothing was heard of it for ``lease_seconds``.
    Whoever signed in is signed out after ``session_idle_minutes`` without a request, and after ``session_hours``.
    The record is signed with the key in ``record_key_file``; once a day its head goes to ``anchor_file``, which had
    best be on another machine, or a medium that is written once.
    ``/metrics`` is answered to whoever sends ``metrics_token``, and to nobody where there is none.
    What a request says of the address it comes from is believed where it comes by one of ``trusted_proxies``.
    Days begin and end by the clocks of ``time_zone``.
    People sign in by the house's own OpenID Connect provider where ``provider_url``, its issuer, is said:
    ``provider_login_claim`` names them, ``provider_roles`` says what each value of ``provider_roles_claim`` makes of
    them, and without ``local_accounts`` nobody signs in by a password of Brookfall's.
    Letters go by ``mail_server`` (``smtp://`` or ``smtps://``, with name and password where it wants them), as from
    ``mail_from``, with links to ``public_url``; without a server none are written.
    """

    model_config = SettingsConfigDict(env_prefix=PREFIX, env_ignore_empty=True, frozen=True, extra="ignore")

    database_url: str = Field(min_length=1)
    redis_url: str = Field(pattern=r"^(rediss?|unix)://")
    secret_key: str = Field(min_length=32)
    max_bytes: ByteSize = Field(default=ByteSize(DEFAULT_MAX_BYTES), gt=0)
    cache_dir: Path = Field(default_factory=lambda: Path.home() / ".cache" / "brookfall")
    secure_cookies: bool = True
    fit_seconds: float = Field(default=900.0, ge=0)
    fit_megabytes: int = Field(default=4000, ge=0)
    lease_seconds: float = Field(default=20.0, gt=0)
    session_idle_minutes: float = Field(default=120.0, gt=0)
    session_hours: float = Field(default=12.0, gt=0)
    record_key_file: Path
    anchor_file: Path | None = None
    metrics_token: str | None = Field(default=None, min_length=16)
    trusted_proxies: Annotated[tuple[IPv4Network | IPv6Network, ...], NoDecode] = ()
    time_zone: str = "UTC"
    mail_server: str | None = Field(default=None, pattern=r"^smtps?://")
    mail_from: str = Field(default="brookfall@localhost", pattern=r"^[^@\s]+@[^@\s]+$")
    public_url: str | None = Field(default=None, pattern=r"^https?://")

    provider_url: str | None = Field(default=None, pattern=r"^https?://")
    provider_name: str = Field(default="the house's own sign-in", min_length=1, max_length=80)
    provider_client_id: str = ""
    provider_client_secret: str = ""
    provider_login_claim: str = Field(default="preferred_username", min_length=1)
    provider_roles_claim: str = Field(default="roles", min_length=1)
    provider_roles: Annotated[dict[str, str], NoDecode] = Field(default_factory=dict)
    local_accounts: bool = True

    @field_validator("provider_roles", mode="before")
    @classmethod
    def _pairs(cls, value: object) -> object:
        """``VALUE=ROLE``, one after the other, with commas between."""
        if not isinstance(value, str):
            return value
        pairs = [one.partition("=") for one in value.split(",") if one.strip()]
        for told, sign, role in pairs:
            if not sign or not told.strip() or role.strip() not in ROLES:
                raise ValueError(f"it is VALUE=ROLE with commas between, and roles are {', '.join(ROLES)}")
        return {told.strip(): role.strip() for told, _, role in pairs}

    @model_validator(mode="after")
    def _whole_provider(self) -> Self:
        if self.provider_url is None:
            if not self.local_accounts:
                raise ValueError(
                    f"{PREFIX}LOCAL_ACCOUNTS is off and there is no {PREFIX}PROVIDER_URL, so nobody could sign in"
                )
            return self
        needed = ("provider_client_id", "provider_client_secret", "provider_roles", "public_url")
        missing = next((name for name in needed if not getattr(self, name)), None)
        if missing is not None:
            raise ValueError(f"{PREFIX}PROVIDER_URL is set and {PREFIX}{missing.upper()} is not")
        return self

    @field_validator("time_zone")
    @classmethod
    def _known(cls, name: str) -> str:
        if name not in available_timezones():
            raise ValueError("it is no time zone; one is Europe/London, say")
        return name

    @field_validator("trusted_proxies", mode="before")
    @classmethod
    def _networks(cls, value: object) -> object:
        """Addresses and networks, one after the other, with commas between."""
        if isinstance(value, str):
            return tuple(ip_network(one.strip()) for one in value.split(",") if one.strip())
        return value


def today() -> date:
    """The day that it is where the house stands."""
    return day_of(now())


def day_of(moment: datetime) -> date:
    """The day that a moment in UTC, as the database keeps it, is of where the house stands."""
    return _here(moment).date()


def hour_now() -> int:
    """The hour that it is where the house stands."""
    return _here(now()).hour


def begin_of(day: date) -> datetime:
    """When a day of where the house stands begins, in UTC as the database keeps moments."""
    return datetime.combine(day, time(), ZoneInfo(config().time_zone)).astimezone(UTC).replace(tzinfo=None)


def _here(moment: datetime) -> datetime:
    return moment.replace(tzinfo=UTC).astimezone(ZoneInfo(config().time_zone))


@cache
def config() -> Config:
    """The configuration of this process.

    Raises
    ------
    UserError
        A variable is missing or says what it can't; the message names each.
    """
    try:
        return Config()
    except ValidationError as problem:
        raise UserError(" ".join(_sentences(problem)), todo="Set it in the environment, and start again.") from None


def _sentences(problem: ValidationError) -> list[str]:
    """What is wrong with each variable. Values are not repeated: some of them are secrets."""
    said = []
    for error in problem.errors():
        name = PREFIX + str(error["loc"][0]).upper() if error["loc"] else ""
        if not error["loc"]:
            said.append(f"{error['msg'].removeprefix('Value error, ')}.")
        elif error["type"] == "missing":
            said.append(f"{name} is not set.")
        else:
            said.append(f"{name} can't be used: {error['msg'].removeprefix('Value error, ')}.")
    return said
