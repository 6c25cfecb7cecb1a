"""Reading the security log, which is the administrators'."""

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError
from brookfall.desk.views import SecurityEventView, SecurityLogView
from brookfall.records.people import Person
from brookfall.records.security_log import SecurityEvent

PAGE = 100


def log_view(session: Session, person: Person, page: int) -> SecurityLogView:
    """A page of the security log, the newest first. ForbiddenError for whoever is no administrator."""
    if "administrator" not in person.roles:
        raise ForbiddenError("Only administrators read the security log.", todo="Ask one of them.")
    query = (
        select(SecurityEvent, Person.name)
        .outerjoin(Person, Person.id == SecurityEvent.person_id)
        .order_by(SecurityEvent.id.desc())
        .limit(PAGE)
        .offset(PAGE * (page - 1))
    )
    return SecurityLogView(
        total=session.scalar(select(func.count()).select_from(SecurityEvent)) or 0,
        events=[
            SecurityEventView(
                id=event.id,
                at=event.at,
                what=event.what,
                who=name or event.login,
                address=event.address,
                detail=event.detail,
            )
            for event, name in session.execute(query)
        ],
    )
