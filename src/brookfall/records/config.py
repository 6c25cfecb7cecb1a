"""Configuration, from environment variables alone."""

import os
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from brookfall.core.submission.package import DEFAULT_MAX_BYTES


@dataclass(frozen=True)
class Config:
    """Where things are. ``owner_url`` may create and grant; ``database_url`` is what the application runs as.

    A fit may take ``fit_seconds`` and ``fit_megabytes`` of memory beyond what its worker holds; 0 is no limit.
    What a worker holds goes to another when nothing was heard of it for ``lease_seconds``.
    """

    database_url: str
    owner_url: str
    redis_url: str
    secret_key: str
    max_bytes: int
    cache_dir: Path
    secure_cookies: bool
    fit_seconds: float
    fit_megabytes: int
    lease_seconds: float


@cache
def config() -> Config:
    """The configuration of this process; KeyError names a variable that is not set."""
    url = os.environ["BROOKFALL_DATABASE_URL"]
    return Config(
        database_url=url,
        owner_url=os.environ.get("BROOKFALL_OWNER_DATABASE_URL", url),
        redis_url=os.environ["BROOKFALL_REDIS_URL"],
        secret_key=os.environ["BROOKFALL_SECRET_KEY"],
        max_bytes=int(os.environ.get("BROOKFALL_MAX_BYTES", DEFAULT_MAX_BYTES)),
        cache_dir=Path(os.environ.get("BROOKFALL_CACHE_DIR", Path.home() / ".cache" / "brookfall")),
        fit_seconds=float(os.environ.get("BROOKFALL_FIT_SECONDS", "900")),
        fit_megabytes=int(os.environ.get("BROOKFALL_FIT_MEGABYTES", "4000")),
        lease_seconds=float(os.environ.get("BROOKFALL_LEASE_SECONDS", "20")),
        secure_cookies=os.environ.get("BROOKFALL_SECURE_COOKIES", "no") == "yes",
    )
