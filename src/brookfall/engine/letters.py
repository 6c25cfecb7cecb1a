"""Sends the letters that were written, by SMTP. One that can't be sent is tried again later; nobody waits for it."""

import logging
import smtplib
from datetime import timedelta
from email.message import EmailMessage
from email.utils import formataddr, formatdate, make_msgid
from urllib.parse import unquote, urlsplit

from sqlalchemy import select

from brookfall.desk.letters import write_letters
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.database import alone, transaction
from brookfall.records.letters import Letter

_TIMEOUT_SECONDS = 10.0
_MOST_AT_ONCE = 50
_MOST_ATTEMPTS = 24
"""The pauses double from a minute to six hours: about five days in all."""
_LONGEST_PAUSE = timedelta(hours=6)

_log = logging.getLogger(__name__)


def see_to_letters() -> None:
    """Writes and sends what is due; one worker at a time."""
    with alone("letters") as mine:
        if mine:
            write_letters()
            send_letters()


def send_letters() -> None:
    """Sends the letters whose time has come, each in a transaction of its own: one that fails holds up no other."""
    with transaction() as session:
        due = select(Letter.id).where(Letter.state == "waiting", Letter.next_try <= now())
        ids = session.scalars(due.order_by(Letter.id).limit(_MOST_AT_ONCE)).all()
    if not ids:
        return
    try:
        server = connected(config().mail_server or "")
    except (OSError, smtplib.SMTPException) as problem:
        _log.warning("the mail server does not answer: %s", problem)
        for letter_id in ids:
            _settle(letter_id, str(problem))
        return
    with server:
        for letter_id in ids:
            _settle(letter_id, _send(server, letter_id))


def connected(mail_server: str) -> smtplib.SMTP:
    """The mail server of that address, signed in where the address says as whom; OSError where it does not answer."""
    at = urlsplit(mail_server)
    host, safe = at.hostname or "localhost", at.scheme == "smtps"
    made: smtplib.SMTP
    if safe:
        made = smtplib.SMTP_SSL(host, at.port or 465, timeout=_TIMEOUT_SECONDS)
    else:
        made = smtplib.SMTP(host, at.port or 25, timeout=_TIMEOUT_SECONDS)
        made.ehlo()
        if made.has_extn("starttls"):
            made.starttls()
    if at.username:
        made.login(unquote(at.username), unquote(at.password or ""))
    return made


def _send(server: smtplib.SMTP, letter_id: int) -> str:
    """Sends a letter; why it could not be sent, or nothing."""
    with transaction() as session:
        letter = session.get_one(Letter, letter_id)
        message = as_message(letter)
    try:
        server.send_message(message)
    except (OSError, smtplib.SMTPException) as problem:
        return str(problem) or type(problem).__name__
    return ""


def as_message(letter: Letter) -> EmailMessage:
    """The letter as it goes out: plain text, and the same as HTML."""
    message = EmailMessage()
    message["From"] = formataddr(("Brookfall", config().mail_from))
    message["To"] = letter.address
    message["Subject"] = letter.subject.replace("\n", " ").replace("\r", " ")
    message["Date"] = formatdate()
    message["Message-ID"] = make_msgid(f"letter-{letter.id}", config().mail_from.rpartition("@")[2] or "brookfall")
    message["Auto-Submitted"] = "auto-generated"
    message.set_content(letter.text)
    message.add_alternative(letter.html, subtype="html")
    return message


def _settle(letter_id: int, problem: str) -> None:
    with transaction() as session:
        letter = session.get_one(Letter, letter_id, with_for_update=True)
        letter.attempts += 1
        letter.said = problem[:500]
        if not problem:
            letter.state = "sent"
        elif letter.attempts >= _MOST_ATTEMPTS:
            letter.state = "failed"
            _log.error("letter %s could not be sent in %s attempts: %s", letter_id, letter.attempts, problem)
        else:
            pause = min(timedelta(minutes=2 ** (letter.attempts - 1)), _LONGEST_PAUSE)
            letter.next_try = now() + pause
