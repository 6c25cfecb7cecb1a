"""Policies of the house: drafted by an administrator, signed by two people, in force from a date."""

import json
from datetime import date
from functools import lru_cache

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from brookfall.core.check.registry import checks
from brookfall.core.foundation.errors import ForbiddenError, MissingError, StaleError, UserError
from brookfall.core.judge.house_policy import (
    HousePolicy,
    SigningRole,
    built_in_house,
    house_to_yaml,
    refuse_not_meant,
    written_out,
)
from brookfall.core.judge.policy_facts import LIMITS, policy_changes
from brookfall.desk import people, second_factor, signing_codes
from brookfall.desk.views import (
    HousePolicyView,
    LimitName,
    PoliciesPage,
    PolicyChangeView,
    PolicyHead,
    PolicyPage,
)
from brookfall.records import audit_log, blobs
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.people import Person
from brookfall.records.policies import (
    OPEN,
    PolicyVersion,
    in_force,
    next_number,
    open_version,
    signed_versions,
)
from brookfall.sandbox import sandbox

BUILT_IN = 0
"""What the built-in policy is called where versions have an id."""
_STAYS = "Nothing was changed."
_UNSIGNED = "Nothing was signed"
_BY_OUR_OWN = "set up an authenticator on your own page"
_BY_THE_PROVIDER = "confirm who you are with a second factor, which the sign-in of your house did not tell of"


class PolicyProposal(BaseModel):
    """From when the draft is to be in force; the password signs it."""

    model_config = ConfigDict(extra="forbid")

    revision: int = Field(ge=1)
    in_force_from: date
    password: str = Field(max_length=1000)


class PolicyAnswer(BaseModel):
    """Whether it is signed; ``sha256`` names the text that was read, ``comment`` says why it goes back."""

    model_config = ConfigDict(extra="forbid")

    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    agree: bool
    comment: str = Field(default="", max_length=4000)
    password: str = Field(max_length=1000)


# What is in force.


def house_now(session: Session) -> HousePolicy | None:
    """The policy that plans are made under today; None while it is the built-in one."""
    version = in_force(session, today())
    return None if version is None else house_of(version)


def house_of(version: PolicyVersion) -> HousePolicy:
    """What a version says."""
    # A draft is saved again and again; what it said then is another key.
    return _read(version.id, version.revision, json.dumps(version.content))


@lru_cache(maxsize=64)
def _read(_version: int, _revision: int, content: str) -> HousePolicy:
    return HousePolicy.model_validate_json(content)


def refuse_without_second_factor(session: Session, person: Person, role: SigningRole) -> None:
    """ForbiddenError where the policy in force wants a second factor of who signs in this role, and there is none."""
    house = house_now(session)
    has_one = second_factor.is_on(session, person) or signing_codes.by_second_factor(session, person)
    if house is not None and role in house.second_factor_for and not has_one:
        raise ForbiddenError(
            f"The policy asks every {role} for a second factor, and you have none.",
            todo=f"{_UNSIGNED}; {_BY_THE_PROVIDER if person.subject_sha256 else _BY_OUR_OWN}, then sign.",
        )


# What is shown.


def policies_page(session: Session, person: Person) -> PoliciesPage:
    """The policies that were signed; the draft for who may see drafts."""
    draft, current = open_version(session), in_force(session, today())
    return PoliciesPage(
        in_force=None if current is None else _head(session, current),
        versions=[_head(session, one) for one in signed_versions(session)],
        draft=_head(session, draft) if draft is not None and _sees_drafts(person) else None,
        may_draft="administrator" in person.roles and draft is None,
    )


def policy_page(session: Session, person: Person, policy_id: int) -> PolicyPage:
    """A policy, whole, with what it changes. MissingError where there is none, or it is a draft that is not shown."""
    version = None if policy_id == BUILT_IN else seen_by(session, person, policy_id)
    house = built_in_house() if version is None else house_of(version)
    before = None if version is None else _before(session, version)
    theirs = built_in_house() if before is None else house_of(before)
    changes = [] if version is None else [PolicyChangeView(**vars(one)) for one in policy_changes(theirs, house)]
    return PolicyPage(
        head=None if version is None else _head(session, version),
        policy=HousePolicyView.model_validate(written_out(house)),
        limits=_limit_names(),
        check_names=list(checks()),
        against="the built-in policy" if before is None else before.name,
        changes=changes,
        may_change=version is not None and version.state == "draft" and "administrator" in person.roles,
        may_propose=version is not None and version.state == "draft" and "administrator" in person.roles,
        may_answer=version is not None and not _why_not_answer(person, version),
        why_not_answer="" if version is None or version.state != "proposed" else _why_not_answer(person, version),
    )


def policy_text(session: Session, person: Person, policy_id: int) -> str:
    """A policy as its file: of what is signed or proposed the very text, of a draft and the built-in one as it is."""
    if policy_id == BUILT_IN:
        return house_to_yaml(built_in_house())
    version = seen_by(session, person, policy_id)
    if version.text_sha256 is not None:
        return blobs.from_database(session, version.text_sha256).decode()
    return house_to_yaml(house_of(version))


def waits_for_signature(session: Session, person: Person) -> PolicyHead | None:
    """The proposed policy that this person could sign; None where there is none."""
    version = open_version(session)
    if version is None or version.state != "proposed" or _why_not_answer(person, version):
        return None
    return _head(session, version)


# What is done.


def draft(session: Session, person: Person, from_id: int) -> PolicyPage:
    """An administrator begins a draft, which says what another policy says.

    Raises
    ------
    ForbiddenError
        The person is no administrator.
    UserError
        There is a draft already.
    """
    _refuse_others(person)
    if open_version(session, lock=True) is not None:
        raise UserError("There is a draft already.", todo="Change that one, or discard it.")
    source = None if from_id == BUILT_IN else seen_by(session, person, from_id)
    house = built_in_house() if source is None else house_of(source)
    name = f"Policy drafted on {today():%-d %b %Y}"
    house = house.model_copy(update={"name": name})
    made = PolicyVersion(
        state="draft", name=name, note="", content=written_out(house), revision=1,
        drafted_by=person.id, drafted=now(), comment="",
    )  # fmt: skip
    session.add(made)
    session.flush()
    subject = "the built-in policy" if source is None else source.name
    audit_log.append(session, person, "drafted a policy", f"from {subject}", after={"policy": made.id})
    return policy_page(session, person, made.id)


def change(
    session: Session, person: Person, policy_id: int, revision: int, note: str, house: HousePolicy
) -> PolicyPage:
    """Saves what the draft says.

    Raises
    ------
    ForbiddenError
        The person is no administrator.
    StaleError
        Somebody saved since ``revision``.
    UserError
        It is no draft any more, or says what nobody can mean.
    """
    version = _draft_to_change(session, person, policy_id, revision)
    refuse_not_meant(house, tuple(checks()))
    version.content, version.name, version.note = written_out(house), house.name, note.strip()
    version.revision += 1
    session.flush()
    return policy_page(session, person, policy_id)


def change_by_file(session: Session, person: Person, policy_id: int, revision: int, file: str, text: str) -> PolicyPage:
    """The draft says what a file says. Raises as :func:`change`; UserError names the file's line."""
    house = sandbox.read_policy_file(text, file, tuple(checks()))
    note = _draft_to_change(session, person, policy_id, revision).note
    return change(session, person, policy_id, revision, note, house)


def take_requirements(
    session: Session, person: Person, policy_id: int, revision: int, file: str, text: str
) -> PolicyPage:
    """The draft lists the requirements of a file, in the place of those of the same name. Raises as :func:`change`."""
    taken = sandbox.read_requirements_file(text, file)
    version = _draft_to_change(session, person, policy_id, revision)
    house = house_of(version)
    others = tuple(one for one in house.requirements if one.name != taken.name)
    changed = house.model_copy(update={"requirements": (*others, taken)})
    return change(session, person, policy_id, revision, version.note, changed)


def discard(session: Session, person: Person, policy_id: int, revision: int) -> PoliciesPage:
    """The draft is let go. Raises as :func:`change`."""
    version = _draft_to_change(session, person, policy_id, revision)
    version.state = "discarded"
    audit_log.append(session, person, "discarded the draft of a policy", version.name, before={"policy": version.id})
    session.flush()
    return policies_page(session, person)


def propose(session: Session, person: Person, policy_id: int, proposal: PolicyProposal) -> PolicyPage:
    """An administrator signs the draft, which then waits for a countersigner.

    Raises
    ------
    ForbiddenError
        The person is no administrator, the password is wrong, or a second factor is wanted.
    UserError
        It changes nothing, has the name of another, nothing says why, or the date is past.
    """
    version = _draft_to_change(session, person, policy_id, proposal.revision)
    people.check_password(person, proposal.password)
    refuse_without_second_factor(session, person, "administrator")
    if not version.note.strip():
        raise UserError("Nothing says what changes and why.", todo=f"{_UNSIGNED}; write it, the record keeps it.")
    if proposal.in_force_from < today():
        raise UserError("The date is past.", todo=f"{_UNSIGNED}; a policy is in force from today or later.")
    before = _before(session, version)
    house, theirs = house_of(version), built_in_house() if before is None else house_of(before)
    if not policy_changes(theirs, house) and house.name == theirs.name:
        raise UserError("The draft says what is in force already.", todo=f"{_UNSIGNED}; change it, or discard it.")
    if house.name in {built_in_house().name, *(one.name for one in signed_versions(session))}:
        raise UserError(
            f"There is a policy called '{house.name}' already.", todo=f"{_UNSIGNED}; give the draft a name of its own."
        )
    version.state, version.in_force_from = "proposed", proposal.in_force_from
    version.proposed_by, version.proposed, version.comment = person.id, now(), ""
    version.answered_by, version.answered = None, None
    version.text_sha256 = blobs.put(session, house_to_yaml(house).encode())
    version.revision += 1
    audit_log.append(session, person, "proposed a policy", version.name, after=_as_signed(version))
    session.flush()
    return policy_page(session, person, policy_id)


def answer(session: Session, person: Person, policy_id: int, said: PolicyAnswer) -> PolicyPage:
    """A countersigner signs the policy, or sends it back to be drafted further.

    It is in force from the date that was proposed, or from today where that is past.

    Raises
    ------
    ForbiddenError
        The person is no countersigner, proposed it, the password is wrong, or a second factor is wanted.
    StaleError
        It is not the text that was read.
    UserError
        It is not proposed any more, or goes back and nothing says why.
    """
    version = seen_by(session, person, policy_id, lock=True)
    if version.state != "proposed":
        raise UserError("This policy waits for no signature.", todo="Load the page again.")
    if why := _why_not_answer(person, version):
        raise ForbiddenError(why, todo=f"{_UNSIGNED}.")
    people.check_password(person, said.password)
    refuse_without_second_factor(session, person, "countersigner")
    if said.sha256 != version.text_sha256:
        raise StaleError("It was proposed anew since you read it.", todo=f"{_UNSIGNED}; read it again, then sign.")
    if not said.agree and not said.comment.strip():
        raise UserError("Nothing says why it goes back.", todo="Write a comment for the administrator.")
    version.answered_by, version.answered, version.comment = person.id, now(), said.comment.strip()
    version.revision += 1
    if said.agree:
        assert version.in_force_from is not None
        version.in_force_from = max(version.in_force_from, today())
        version.state, version.number = "signed", next_number(session)
        act = "countersigned a policy"
    else:
        version.state = "draft"
        act = "sent a policy back"
    audit_log.append(session, person, act, version.name, after=_as_signed(version))
    if not said.agree:
        version.text_sha256, version.in_force_from = None, None
    session.flush()
    return policy_page(session, person, policy_id)


# Below all of these.


def _refuse_others(person: Person) -> None:
    if "administrator" not in person.roles:
        raise ForbiddenError("Policies are drafted by administrators.", todo=_STAYS)


def _sees_drafts(person: Person) -> bool:
    return people.sees_all(person) or "administrator" in person.roles


def seen_by(session: Session, person: Person, policy_id: int, *, lock: bool = False) -> PolicyVersion:
    """The version; MissingError where there is none, or it is a draft that the person does not see."""
    version = session.get(PolicyVersion, policy_id, with_for_update=lock)
    if version is None or (version.state != "signed" and not _sees_drafts(person)):
        raise MissingError("There is no such policy.", todo="Go back to the list of policies.")
    return version


def _draft_to_change(session: Session, person: Person, policy_id: int, revision: int) -> PolicyVersion:
    _refuse_others(person)
    version = seen_by(session, person, policy_id, lock=True)
    if version.state != "draft":
        raise UserError("This policy is no draft any more.", todo=f"{_STAYS} Load the page again.")
    if version.revision != revision:
        raise StaleError(
            "Somebody saved the draft since you opened it.", todo=f"{_STAYS} Load the page again, then do it anew."
        )
    return version


def _before(session: Session, version: PolicyVersion) -> PolicyVersion | None:
    """The policy that a version takes the place of: the one in force, or of what was signed the one before it."""
    if version.state in OPEN:
        return in_force(session, today())
    earlier = (one for one in signed_versions(session) if (one.number or 0) < (version.number or 0))
    return next(earlier, None)


def _why_not_answer(person: Person, version: PolicyVersion) -> str:
    """Why the person can't countersign a version; empty where they can."""
    if version.state != "proposed":
        return "It waits for no signature."
    if "countersigner" not in person.roles:
        return "A policy is countersigned by a countersigner."
    if version.proposed_by == person.id:
        return "You proposed it, so somebody else must sign it too."
    return ""


def _as_signed(version: PolicyVersion) -> dict[str, object]:
    return {
        "policy": version.id,
        "number": version.number,
        "text": version.text_sha256,
        "in_force_from": None if version.in_force_from is None else version.in_force_from.isoformat(),
        "note": version.note,
        "comment": version.comment,
    }


def _limit_names() -> list[LimitName]:
    return [
        LimitName(
            name=name,
            on=on,
            checks=[check.title for check in checks().values() if f"policy.{name}" in check.reads.plan],
        )
        for name, on in LIMITS.items()
    ]


def _head(session: Session, version: PolicyVersion) -> PolicyHead:
    current = in_force(session, today())
    return PolicyHead(
        id=version.id,
        number=version.number,
        name=version.name,
        state=version.state,
        note=version.note,
        revision=version.revision,
        in_force=current is not None and current.id == version.id,
        in_force_from=version.in_force_from,
        drafted_by=people.person_of(session, version.drafted_by).name,
        drafted=version.drafted,
        proposed_by=_name(session, version.proposed_by),
        proposed=version.proposed,
        answered_by=_name(session, version.answered_by),
        answered=version.answered,
        comment=version.comment,
        sha256=version.text_sha256,
    )


def _name(session: Session, person_id: int | None) -> str | None:
    return None if person_id is None else people.person_of(session, person_id).name
