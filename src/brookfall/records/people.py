"""People, what they may do, where they are signed in, and the tokens by which scripts act for them."""

from datetime import timedelta
from typing import Any, Literal

from sqlalchemy import BigInteger, ForeignKey, String, delete
from sqlalchemy.orm import Mapped, Session, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Sha, Short
from brookfall.records.clock import now

MailWhen = Literal["at_once", "daily", "never"]

_SESSIONS_KEPT = timedelta(days=30)


class Person(Base):
    """``disabled`` is since when a person can't sign in any more; ``looked`` when they last saw what others did;
    ``mail`` where they are written to, and ``mail_when``; ``subject_sha256`` who they are to the house's provider."""

    __tablename__ = "person"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    login: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[Short]
    password_hash: Mapped[Short]
    roles: Mapped[list[Any]]
    created: Mapped[Moment]
    disabled: Mapped[Moment | None]
    looked: Mapped[Moment | None]
    mail: Mapped[str | None] = mapped_column(String(320))
    subject_sha256: Mapped[str | None] = mapped_column(String(64, collation="ascii_bin"), unique=True)
    mail_when: Mapped[MailWhen] = mapped_column(String(10), default="at_once", server_default="at_once")


class BrowserSession(Base):
    """A browser in which somebody signed in; of its secret only the SHA-256 is kept. ``seen`` is its last request."""

    __tablename__ = "browser_session"
    __table_args__ = TABLE_OPTIONS

    sha256: Mapped[Sha] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    began: Mapped[Moment]
    seen: Mapped[Moment]
    ended: Mapped[Moment | None]
    address: Mapped[str] = mapped_column(String(45))


def forget_old_sessions(session: Session) -> None:
    """Takes away the sessions that began so long ago that none of them can go on; the security log stays."""
    session.execute(delete(BrowserSession).where(BrowserSession.began < now() - _SESSIONS_KEPT))


class PasswordLink(Base):
    """By its secret a person gives themselves a password, once and until it ``ends``; only the SHA-256 is kept.

    ``made_by`` is None of what was made at the command line.
    """

    __tablename__ = "password_link"
    __table_args__ = TABLE_OPTIONS

    sha256: Mapped[Sha] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    made: Mapped[Moment]
    made_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    ends: Mapped[Moment]
    used: Mapped[Moment | None]


class SigningCode(Base):
    """By it a person signs once, until it ``ends``, as the house's provider has just confirmed who they are.

    Only its SHA-256 is kept; ``second_factor`` is whether the provider said that one was used.
    """

    __tablename__ = "signing_code"
    __table_args__ = TABLE_OPTIONS

    sha256: Mapped[Sha] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    ends: Mapped[Moment]
    used: Mapped[Moment | None]
    second_factor: Mapped[bool]


class SecondFactor(Base):
    """An authenticator of a person's: what it was given, encrypted, and the last of its codes' steps that was used.

    It counts from ``confirmed`` on, when a first code of it was right.
    """

    __tablename__ = "second_factor"
    __table_args__ = TABLE_OPTIONS

    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True)
    secret: Mapped[str] = mapped_column(String(255))
    begun: Mapped[Moment]
    confirmed: Mapped[Moment | None]
    last_step: Mapped[int] = mapped_column(BigInteger)


class RecoveryCode(Base):
    """One of the codes that stand in, once each, for an authenticator that was lost; only its SHA-256 is kept."""

    __tablename__ = "recovery_code"
    __table_args__ = TABLE_OPTIONS

    sha256: Mapped[Sha] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    used: Mapped[Moment | None]


class Token(Base):
    """By its secret a script acts for a person, within ``scopes`` and until it ``ends``; only the SHA-256 is kept."""

    __tablename__ = "token"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    name: Mapped[Short]
    sha256: Mapped[Sha] = mapped_column(unique=True)
    scopes: Mapped[list[Any]]
    created: Mapped[Moment]
    ends: Mapped[Moment]
    used: Mapped[Moment | None]
    revoked: Mapped[Moment | None]
