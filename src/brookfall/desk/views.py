"""What the desk shows: plain values, ready to be sent."""

from datetime import UTC, date, datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, JsonValue

from brookfall.core.check.sentence import PlanLine, Sentence
from brookfall.core.evidence.acts import Kind as ActKind
from brookfall.core.evidence.chart import Chart, TableView
from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.finding_text import FindingWords
from brookfall.core.evidence.limit import Standing as LimitStanding
from brookfall.core.evidence.overruling import OverruledAs
from brookfall.core.judge.approval import ModelStanding
from brookfall.core.judge.case_life import CaseAct, Priority
from brookfall.core.judge.condition_life import ConditionAct, ConditionState
from brookfall.core.judge.finding_life import FindingAct, FindingState
from brookfall.core.judge.house_policy import HousePolicy, TierPolicy
from brookfall.core.judge.policy import DAYS_TO_ANSWER, MATERIALITY, Materiality
from brookfall.core.judge.question_life import QuestionAct, QuestionState
from brookfall.core.judge.report_form import OrderedReport, Part, ReportForm
from brookfall.core.judge.requirements import AnsweredRequirement
from brookfall.core.judge.standing import Shown
from brookfall.core.plan.plan import Plan
from brookfall.core.retest.before_and_after import RetestedExhibit, RetestResult
from brookfall.core.retest.screening.screen import Look
from brookfall.core.submission.difference import VersionChange
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.submission.schema import Submission
from brookfall.core.table.change import Change
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.roles import Roles
from brookfall.desk.written import Words
from brookfall.records.people import MailWhen

Standing = Shown


def _in_utc(moment: datetime) -> datetime:
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


Moment = Annotated[datetime, AfterValidator(_in_utc)]
"""A moment as it is sent: with its zone. What is stored is in UTC and says none."""


class View(BaseModel):
    model_config = ConfigDict(frozen=True)


class PersonView(View):
    """``reads_all``: every case, and so the record as a whole. ``confirms_by`` names the house's provider where the
    person signs in there, and can confirm there that it is they who sign.
    """

    id: int
    login: str
    name: str
    roles: list[str]
    reads_all: bool
    confirms_by: str | None
    has_password: bool


class SignInWays(View):
    """How people sign in: by the house's own provider, as it is called, by a password of Brookfall's, or by either."""

    provider: str | None
    local: bool


class MailView(View):
    """Where a person is mailed and when; ``sends`` whether this house sends any mail."""

    address: str
    when: MailWhen
    sends: bool


class LetterView(View):
    """A letter to the person who looks; ``said`` is why it could not be sent yet."""

    id: int
    subject: str
    text: str
    written: Moment
    state: str
    said: str


class TokenView(View):
    id: int
    name: str
    scopes: list[Literal["read", "submit"]]
    created: Moment
    ends: Moment
    used: Moment | None
    revoked: Moment | None


class NewToken(View):
    """The only time that the secret is shown."""

    secret: str
    token: TokenView


class PasswordRating(View):
    """How hard a password is to guess; ``good`` whether it is taken."""

    good: bool
    words: str
    advice: list[str]


class LinkView(View):
    """Whose one-time link it is, and until when it works."""

    login: str
    name: str
    ends: Moment


class NewLink(View):
    """The only time that a link is shown; ``mailed_to`` where it was mailed instead."""

    link: str
    mailed_to: str
    ends: Moment


class SessionView(View):
    """A browser in which the person is signed in; ``this`` is the one that asks."""

    id: str
    began: Moment
    seen: Moment
    address: str
    this: bool


class SecondFactorView(View):
    """Since when signing in takes a code too; None where it does not. ``codes`` are left that stand in for one."""

    since: Moment | None
    codes: int


class NewAuthenticator(View):
    """What an authenticator is given, shown this once: as text, as an address, and as the picture of it."""

    secret: str
    uri: str
    picture: str


class RecoveryCodes(View):
    """The only time that they are shown."""

    codes: list[str]


class AccountView(View):
    """An account as administrators see it. ``link_until`` is how long a one-time link still works, ``in_hand`` how many
    cases the person reviews."""

    id: int
    login: str
    name: str
    roles: list[str]
    mail: str
    added: Moment
    disabled: Moment | None
    has_password: bool
    link_until: Moment | None
    signed_in: Moment | None
    sessions: int
    second_factor: bool
    in_hand: int


class SignIn(View):
    at: Moment
    address: str


class TeamView(View):
    """A team, with its members by name and how many models are of it; ``closed`` since when it is chosen no more."""

    id: int
    name: str
    members: list["NamedPerson"]
    models: int
    closed: Moment | None


class HeldModel(View):
    key: str
    name: str


class AccountPage(View):
    """``mails`` is whether a link can be mailed to the person; ``reviewers`` are who could be given their cases."""

    account: AccountView
    cases: list["HeldCase"]
    models: list[HeldModel]
    sign_ins: list[SignIn]
    mails: bool
    reviewers: list["NamedPerson"]


class SecurityEventView(View):
    """``who`` is a person's name, or what was typed where it is nobody's."""

    id: int
    at: Moment
    what: str
    who: str
    address: str
    detail: str


class SecurityLogView(View):
    events: list[SecurityEventView]
    total: int


class Mark(View):
    """How a question stands: ``none`` has exhibits and no limit; absent from the list has no exhibit."""

    question: int
    standing: Standing


class SeverityCount(View):
    severity: int
    count: int


class CaseLine(View):
    """``review`` is 1 of the first review of a version, more of a re-review; ``waits_for_owner`` while a question that
    holds the case is not answered."""

    id: int
    model: str
    model_key: str
    version: str
    review: int
    outcome: str
    tier: int
    owner: str
    reviewer: str | None
    due: date | None
    priority: Priority
    state: str
    step: int
    stands: str
    marks: list[Mark]
    findings: list[SeverityCount]
    may_take: bool
    waits_for_owner: bool


class ConditionShort(View):
    """A condition in a line."""

    number: int
    what: str
    due: date
    state: ConditionState


class ModelLine(View):
    """A model of the inventory, with its newest version; ``mine`` where the person belongs to it.

    It stands as the version that ``counts``; ``review`` is the day until which its approval lasts; ``conditions``
    counts those that are not met, ``findings`` those of all its versions about which somebody has still to do
    something.
    """

    key: str
    name: str
    owner: str
    members: list[str]
    in_use: str | None
    versions: int
    newest: CaseLine
    mine: bool
    standing: ModelStanding
    why: str
    counts: str | None
    review: date | None
    conditions: int
    findings: int


class ModelsView(View):
    """The models that were asked for, of ``total``."""

    models: list[ModelLine]
    total: int


class BelongsView(View):
    """Somebody who belongs to a model."""

    id: int
    login: str
    name: str


class VersionView(View):
    """A case of a version of a model: how what it decided stands today, and its conditions where it has any.

    ``standing`` is None of a re-review that is not decided.
    """

    line: CaseLine
    standing: ModelStanding | None
    why: str
    until: date | None
    conditions: list[ConditionShort]


class ModelEvent(View):
    """What befell a model on a day: ``what`` in words, of a version where it is of one."""

    day: date
    version: str | None
    case_id: int | None
    what: str
    by: str | None


class TierView(View):
    """The tier that a countersigner gave the model, whatever its versions declare."""

    tier: int
    by: str
    at: Moment
    reason: str


class ModelPage(View):
    """``approved`` are the versions that may be in use; ``versions`` begin with the newest, ``events`` with the
    first. It stands as the version that ``counts``; its owner can choose among ``teams``; ``re_reviewable`` are the
    cases of which the person may open a re-review."""

    key: str
    name: str
    owner: BelongsView
    members: list[BelongsView]
    team: str | None
    teams: list[str]
    created: Moment
    in_use: str | None
    approved: list[str]
    standing: ModelStanding
    why: str
    counts: str | None
    review: date | None
    withdrawn: Moment | None
    withdrawn_why: str | None
    versions: list[VersionView]
    events: list[ModelEvent]
    may_change_people: bool
    may_say_in_use: bool
    may_withdraw: bool
    tier: TierView | None
    may_set_tier: bool
    re_reviewable: list[int]


class ErasureView(View):
    """Rows that were proposed to be taken away, and what came of it. state: proposed, declined, agreed, done.

    ``done`` of the ``needed`` files and columns were seen to; ``shared`` of them another case has, so their bytes stay;
    ``freed`` is bytes.
    """

    state: Literal["proposed", "declined", "agreed", "done"]
    reason: str
    proposed_by: str
    proposed: Moment
    answered_by: str | None
    answered: Moment | None
    comment: str
    finished: Moment | None
    done: int
    needed: int
    shared: int
    freed: int


class ErasureNotice(ErasureView):
    """What an auditor is told of an erasure."""

    case_id: int
    model: str
    version: str


class RetentionLine(View):
    """A decided case and its rows: kept until the end of ``kept_until`` at least; ``why_not`` is empty once they may
    go. ``bytes`` are those of its files that are there."""

    case_id: int
    model: str
    version: str
    tier: int
    decided: date
    kept_until: date
    n_rows: int
    bytes: int
    erasure: ErasureView | None
    why_not: str
    may_propose: bool
    may_answer: bool


class RetentionView(View):
    lines: list[RetentionLine]


class EndingApproval(View):
    """An approval that has lapsed, or is about to, told to its owner and its reviewer."""

    case_id: int
    model: str
    model_key: str
    version: str
    standing: ModelStanding
    why: str
    until: date


class DocketView(View):
    """A page of the cases that were asked for, of ``total``; ``counts`` are those of each state beside the one that was
    asked for."""

    cases: list[CaseLine]
    counts: dict[str, int]
    total: int


class InboxItem(View):
    """Something that waits for the person who looks, since when, and for what; ``count`` of one kind in one case.

    ``place`` is where it is ended, within the case, or an address of its own.
    """

    case_id: int
    model: str
    version: str
    about: Literal["case", "question", "finding", "condition", "approval"]
    act: str
    count: int
    due: date | None
    since: Moment
    waits: str
    place: str


class InboxView(View):
    """A page of what waits, the oldest first, of ``total``. Of the cases among it so many are ``waiting`` and the first
    are ``cases``; ``others`` are the first of the rest. ``erasures`` are told to auditors alone, and the
    ``policy`` that waits to who can sign it."""

    items: list[InboxItem]
    total: int
    cases: list[InboxItem]
    waiting: int
    others: list[InboxItem]
    erasures: list[ErasureNotice]
    policy: "PolicyHead | None"


class Found(View):
    """Something that a search found; ``place`` is where it stands within the case, or an address of its own."""

    kind: Literal["model", "case", "finding", "exhibit", "question", "person"]
    case_id: int
    title: str
    text: str
    place: str


class SearchView(View):
    """The first of each kind that have all the ``words``; ``totals`` are how many there are."""

    words: list[str]
    found: list[Found]
    totals: dict[str, int]


class WhatChanged(View):
    """What somebody did in a case, in the words of the record."""

    id: int
    at: Moment
    who: str
    act: str
    subject: str
    case_id: int
    model: str
    version: str


class ChangesView(View):
    """What others did, the newest first; ``seen`` is when the person looked last."""

    changes: list[WhatChanged]
    total: int
    seen: Moment | None


class GraphLine(View):
    """What a fitted model is made of, in words under a name."""

    name: str
    words: str


class FileView(View):
    path: str
    size: int
    sha256: str


class ClaimView(View):
    """A claim with its recomputed value once it is known."""

    measure: str
    where: str
    claimed: str
    value: float | None
    low: float | None
    high: float | None
    n: int | None
    verdict: str | None


class May(View):
    """What the person looking may do on this case now."""

    take: bool
    review: bool
    replay: bool
    countersign: bool
    handle: list[CaseAct]


class NamedPerson(View):
    """Somebody, by the login that tells them from others of the same name."""

    login: str
    name: str


class HandlingView(View):
    """What the person who looks may do about a case beside its review, and the ``reviewers`` it may be given to."""

    acts: list[CaseAct]
    due: date | None
    priority: Priority
    reviewers: list[NamedPerson]


class HeldCase(View):
    case_id: int
    case: str


class LeftCase(HeldCase):
    """A case that could not be handed over, and why."""

    why: str


class HandedOver(View):
    """Which cases were handed over, and which were left."""

    handed: list[str]
    left: list[LeftCase]


class HoldsView(View):
    """What a reviewer has in hand; ``away`` that they can't sign in any more; ``next_due`` the first of its dates."""

    id: int
    login: str
    name: str
    away: bool
    in_review: int
    proposed: int
    overdue: int
    next_due: date | None
    cases: list[HeldCase]


class VersionSince(View):
    """The version before this one, and what changed since."""

    case_id: int
    version: str
    changes: list[VersionChange]


class CarriedFinding(View):
    """A finding of an earlier case of the model that nobody has settled."""

    case_id: int
    version: str
    number: int
    severity: int
    title: str
    state: FindingState


class CarriedCondition(View):
    """A condition of an earlier approval of the model that is not met."""

    case_id: int
    version: str
    number: int
    what: str
    due: date
    state: ConditionState


class ReReview(View):
    """Why a version is reviewed again, who asked for it, and when."""

    reason: str
    by: str
    at: Moment


class CaseView(View):
    """``review`` is 1 of the first review of a version; ``re_review`` is why it is one of those after,
    and ``before`` the case of the review before it."""

    id: int
    model: str
    model_key: str
    version: str
    review: int
    re_review: ReReview | None
    before: int | None
    tier: int
    outcome: str
    state: str
    step: int
    due: date | None
    priority: Priority
    owner: str
    reviewer: str | None
    countersigner: str | None
    plan_locked: Moment | None
    deviating: bool
    run_state: str | None
    findings: int
    submission: Submission
    recipe_words: str | None
    graph: list[GraphLine]
    package_sha256: str
    n_rows: int
    rows_taken: Moment | None
    files: list[FileView]
    claims: list[ClaimView]
    previous: list[CaseLine]
    since: VersionSince | None
    carried_findings: list[CarriedFinding]
    carried_conditions: list[CarriedCondition]
    marks: list[Mark]
    may: May


class BarView(View):
    label: str
    count: int


class ColumnView(View):
    """``ground`` is the one that the column's name names, of the policy's."""

    name: str
    ground: str | None
    kind: str
    words: str
    missing: int
    distinct: int
    n: int
    description: str
    bars: list[BarView]


class ReadFile(View):
    """A data file as it was read; ``added`` by the reviewer rather than submitted."""

    name: str
    path: str
    kind: str
    words: str
    how: HowRead
    added: bool


class DataView(View):
    """``changes`` made this version of the table; without any it is as it was submitted."""

    revision: int
    locked: bool
    file: str
    files: list[ReadFile]
    fingerprint: str
    n_rows: int
    submitted_rows: int
    roles: Roles
    columns: list[ColumnView]
    changes: list[Change]
    changes_said: list[str]
    beside: dict[str, list[str]]
    target_observed: str
    grounds: list[str]
    problem: str | None


class PreviewColumn(View):
    name: str
    kind: str
    words: str
    examples: list[str]


class Preview(View):
    """How a file would be read; ``whole`` is false where only its beginning was."""

    how: HowRead
    words: str
    sheets: list[str]
    rows: int
    whole: bool
    columns: list[PreviewColumn]


class DraftFileView(View):
    """A file of a draft; what comes next begins at byte ``received``, and ``stamp`` is what its sender knows it by."""

    path: str
    size: int
    received: int
    stamp: str


class Fault(View):
    """Why a draft was not taken in: what is wrong, where, and what to do."""

    detail: str
    where: str
    todo: str


class DraftView(View):
    """A submission being put together, or being taken in; ``share`` of that is done. ``brief`` is the sender's own."""

    id: int
    brief: dict[str, JsonValue]
    due: date | None
    revision: int
    state: Literal["open", "waiting", "leased", "done"]
    doing: str
    share: float
    fault: Fault | None
    case_id: int | None
    added_to: int | None
    scored: bool
    files: list[DraftFileView]
    changed: Moment


class Named(View):
    """A name of the package format, in words, and the kinds of outcome it is for."""

    name: str
    words: str
    outcomes: list[str]


class MeasureWords(Named):
    """A measure as the pages need it: which way is better, what it is drawn on, its formula and source."""

    better: str
    scale: str
    formula: str
    source: str


class CheckWords(View):
    """A check: its heading, its question, what it does, its source."""

    name: str
    title: str
    question: int
    page: str
    source: str


class Vocabulary(View):
    """Every word that a page says of measures, checks, standings, severities and decisions: as this server has them."""

    families: list[Named]
    measures: list[MeasureWords]
    comparisons: dict[str, str]
    checks: list[CheckWords]
    questions: dict[str, str]
    question_titles: dict[str, str]
    short_questions: dict[str, str]
    standings: dict[str, str]
    statement_standings: dict[str, str]
    severities: dict[str, str]
    model_standings: dict[str, str]
    condition_states: dict[str, str]
    condition_acts: dict[str, str]
    asked_states: dict[str, str]
    asked_acts: dict[str, str]
    finding_states: dict[str, str]
    finding_acts: dict[str, str]
    finding_answers: dict[str, str]
    decisions: dict[str, str]
    outcomes: dict[str, str]


class LookView(View):
    """``ready`` is false while a worker looks; ``fault`` says why nothing could be seen."""

    ready: bool
    fault: str | None
    look: Look | None


class RowsView(View):
    """A window of ``total`` rows of ``of``; ``places`` count the data rows from 1."""

    total: int
    of: int
    columns: list[str]
    places: list[int]
    rows: list[list[str | None]]


class BehindView(RowsView):
    """Rows behind a cell or a bin; the first ``said`` columns are what the model said of each."""

    said: int
    title: str


class GroupOfColumn(View):
    """The rows of a group over the column's bins or levels, and the share that is missing with its 95 % interval."""

    label: str
    n: int
    counts: list[int]
    missing: int
    missing_low: float | None
    missing_high: float | None


class ColumnPage(View):
    """``levels`` are those by which a protected column is audited, as many as can be spoken of; else there are none.

    ``fill_by`` is how the recipe fills in gaps of such a column, or as is usual where it does not.
    """

    name: str
    kind: str
    words: str
    description: str
    quantiles: list[float]
    by: str | None
    splits: list[str]
    labels: list[str]
    levels: list[str]
    fill_by: Literal["median", "mean", "mode"]
    groups: list[GroupOfColumn]


class MatrixView(View):
    """Strengths from −1 to 1; None where they can't be computed."""

    names: list[str]
    strengths: list[list[float | None]]
    measures: list[list[str]]
    n: int
    left_out: int


class ColumnEffect(View):
    """A column before and after in words, None where it is not there, with distinct cells that differ."""

    name: str
    before: str | None
    after: str | None
    examples: list[tuple[str | None, str | None]]


class ChangeEffect(View):
    said: list[str]
    rows_before: int
    rows_after: int
    columns: list[ColumnEffect]


class ValueChangeView(View):
    """A value that changed: as it was and as it is, None where there was or is none."""

    what: str
    before: str | None
    after: str | None


class SetUpVersion(View):
    case_id: int
    version: str
    review: int


class BegunView(SetUpVersion):
    """The review that a case began from, and what differs since: roles in words, the plan value by value; and how many
    changes of its data were left, which were of its own rows."""

    roles: list[str]
    plan: list[ValueChangeView]
    left_changes: int


class SetUpView(View):
    """What a case began from, None of the standard roles and plan; ``from_`` what it could begin from instead."""

    begun: BegunView | None
    from_: list[SetUpVersion]
    may_begin: bool


class DeviationView(View):
    """A change after locking. ``closed`` is None while it is open; ``said`` is what it changed, in words."""

    number: int
    reason: str
    by: str
    opened: Moment
    closed: Moment | None
    said: list[str]


class PlanSentence(View):
    """A check in the plan: whether it is on, and what it does, with the values that can be set. ``excluded`` says why
    it can't be carried out here."""

    check: str
    title: str
    question: int
    on: bool
    excluded: str | None
    sentence: Sentence


class PlanStatement(View):
    """A statement that the policy knows, and whether the plan asks for it."""

    name: str
    question: int
    title: str
    asks: str
    on: bool


class PlanView(View):
    """``name`` and ``note`` are what its reviewer says of it. ``pending`` fits are not yet made, ``to_run`` checks
    have no exhibit of it yet; not ``counted`` while a worker counts both. ``locked`` is None while a deviation is open;
    ``undecided`` says why the plan must name a threshold."""

    revision: int
    locked: Moment | None
    locked_by: str | None
    name: str
    note: str
    plan: Plan
    departures: list[PlanLine]
    deviations: list[DeviationView]
    counted: bool
    fits: int | None
    pending: int | None
    to_run: int | None
    shared: int | None
    sizes: dict[str, int]
    sentences: list[PlanSentence]
    statements: list[PlanStatement]
    positive: str
    owner_split: str | None
    missing_grounds: list[str]
    outcome: str
    main_measures: dict[str, str]
    undecided: str | None
    has_part_column: bool
    grouped: bool
    timed: bool
    remarks: list[str]
    problem: str | None


class EstimateView(View):
    """About how long one worker takes over the fits that are still to be made; not ``ready`` while trials are made."""

    ready: bool
    fits: int
    seconds: float | None


class OtherPlan(View):
    """Another case whose plan this one may be set beside; the model's own earlier versions come first. ``name`` is what
    its reviewer calls the plan."""

    case_id: int
    name: str
    model: str
    version: str
    locked: bool


class ComparedPlan(View):
    """A plan that could be used here, and what using it would change, in words."""

    title: str
    plan: Plan
    changes: list[str]


class CheckProgress(View):
    number: int
    name: str
    title: str
    question: int
    state: str
    done: int
    needed: int


class ExhibitLine(View):
    number: int
    name: str
    title: str
    question: int
    state: str
    standing: Standing | None


class RunView(View):
    """The light view that is asked for while a run goes on."""

    id: int | None
    plan_name: str
    state: str | None
    started: Moment | None
    laid_out: Moment | None
    """When a worker had entered its fits; until then there are none."""
    finished: Moment | None
    done: int
    needed: int
    failed: int
    seconds_left: float | None
    beside: int
    """Other runs that share the workers."""
    checks: list[CheckProgress]
    exhibits: list[ExhibitLine]


class MarksView(View):
    marks: list[LabelMark]


class SuspectsView(MarksView):
    """The rows of the label check's suspects as they read, in its order, those drawn at random to be marked too, and
    every mark of the case."""

    columns: list[str]
    rows: list[list[str | None]]
    sample: list[list[str | None]]


class PathView(View):
    """The nodes that a row passes in a tree, from the root to its leaf, and what the row says of every feature."""

    nodes: list[int]
    row: dict[str, str | None]


class ExhibitView(View):
    run_id: int
    exhibit: Exhibit


class ProxyPairView(View):
    """Two features that together go with an attribute: Cramér's V with its interval, and that of the stronger alone."""

    features: list[str]
    attribute: str
    together: float
    low: float | None
    high: float | None
    n: int
    alone: float


class ChosenThreshold(View):
    """A threshold that the reviewer chose on a chart of an exhibit; ``miss_cost`` is a miss's cost in false alarms."""

    exhibit: int
    chart: int = Field(ge=0, le=100)
    threshold: float = Field(allow_inf_nan=False)
    miss_cost: float | None = Field(default=None, gt=0, allow_inf_nan=False)


class ReplayView(View):
    """The newest replay of an exhibit; ``state`` is None where nobody asked. ``said`` is what came of it."""

    state: Literal["waiting", "leased", "done", "failed", "cancelled"] | None
    before: int
    """Replays that were asked for before it and are not done."""
    done: int
    needed: int
    outcome: Literal["same", "near", "other"] | None
    said: str
    differences: list[str]
    by: str | None
    asked: Moment | None
    finished: Moment | None


class AskableModelView(View):
    """A model that new rows can be scored by."""

    name: str
    words: str


class ScoredModelView(View):
    """A model that new rows were scored by."""

    name: str
    words: str


class ExplainedModel(View):
    """Where the reasons of a model's scores are kept: ``columns`` of the table by feature, ``base`` another one.

    ``own`` are those with the features' cells.
    """

    name: str
    columns: dict[str, str]
    own: dict[str, str]
    base: str
    scale: Literal["score", "log odds", "log"]
    exact: bool


class ScoringResult(View):
    """What is told of scored rows beside them; estimates, charts, series and tables are as of an exhibit.

    ``said`` columns of their table, the first of which is the row's number, are what models say, those up to ``shown``
    the file's own, the rest reasons; ``outcome`` names the column of the outcomes where there are any, ``measured`` how
    many.
    """

    rows: int
    said: int
    shown: int
    outcome: str | None
    models: list[ScoredModelView]
    explained: list[ExplainedModel]
    remarks: list[str]
    method: list[str]
    measured: int | None
    estimates: list[Estimate]
    charts: list[Chart]
    series: dict[str, dict[str, list[float | None]]]
    tables: list[TableView]


class ScoringView(View):
    """A file of new rows: how far it is, ``share`` done, then what came of it. ``changed_since`` says that the case's
    rows or roles are others now than the models learned from."""

    number: int
    file: str
    sha256: str
    by: str
    asked: Moment
    finished: Moment | None
    state: Literal["waiting", "leased", "done", "failed", "cancelled"]
    doing: str
    share: float
    said: str
    coverage: float
    models: list[str]
    changed_since: bool
    result: ScoringResult | None


class NewRowsView(View):
    """The files of new rows of a case, the newest first; by which models whoever asks may have others scored."""

    may_score: bool
    models: list[AskableModelView]
    scorings: list[ScoringView]


class ScoredRowsView(View):
    """A window of scored rows: the first ``said`` columns are what models say, the others the file's own.

    ``counts`` are rows of each kind: all, those on which models differ, outside what was learned from, with more than
    one class in the set, decided otherwise had the file been scaled by itself, and wrong.
    """

    total: int
    of: int
    columns: list[str]
    places: list[int]
    rows: list[list[str | None]]
    said: int
    counts: dict[str, int]


class CellOfRow(View):
    column: str
    cell: str | None


class ReasonView(View):
    """How much a feature, by its ``value``, moved a score."""

    feature: str
    value: str | None
    by: float


class SaidOfRowView(View):
    """What a model says of a row: its columns with their cells, and why.

    ``reasons`` and ``base`` add up to the score on the ``scale``; they are None where the row is not explained.
    """

    name: str
    words: str
    said: list[CellOfRow]
    scale: Literal["score", "log odds", "log"] | None
    exact: bool
    base: float | None
    reasons: list[ReasonView]


class ScoredRowView(View):
    """A scored row in full: what each model says of it, and its own cells."""

    place: int
    models: list[SaidOfRowView]
    own: list[CellOfRow]


class CandidateView(View):
    """A model that may be compared; ``missing`` fits keep it from that until the plan has run them."""

    name: str
    words: str
    chosen: bool
    missing: int


class ComparisonView(View):
    """Models side by side on ``n`` rows: content as of an exhibit. ``problem`` says why there is none."""

    part: str
    parts: list[str]
    measure: str
    measures: dict[str, str]
    candidates: list[CandidateView]
    n: int
    problem: str | None
    answer: str
    estimates: list[Estimate]
    charts: list[Chart]
    series: dict[str, dict[str, list[float | None]]]
    tables: list[TableView]


class AttachedView(View):
    id: int
    path: str
    size: int
    sha256: str


class WrittenBefore(View):
    """What was judged of another version."""

    version: str
    case_id: int
    judgement: str
    standing: Standing
    reason: str
    by: str


class StatementView(View):
    """A statement, or one that is due and not written: then it has no ``id``, no standing and no words.

    ``due`` says whether the plan asks for it; ``written_before`` what the last review of the model judged to it.
    """

    id: int | None
    number: int | None
    name: str
    question: int
    title: str
    asks: str
    due: bool
    judgement: str
    standing: Standing | None
    reason: str
    files: list[AttachedView]
    author: str | None
    changed: Moment | None
    revision: int
    withdrawn: bool
    written_before: WrittenBefore | None = None


class Citation(View):
    """What a finding quotes of an exhibit; ``now`` is what that says since, where it says something else.

    ``read`` is what a threshold that the reviewer chose decides.
    """

    exhibit: int
    title: str
    quote: str
    now: str | None = None
    threshold: ChosenThreshold | None = None
    read: str | None = None


class NewRowsCitation(View):
    """What a finding quotes of a file of new rows that was scored."""

    number: int
    file: str
    quote: str


class SaidView(View):
    """What was done about a thing, or said of it; ``by`` is None of what the clock did. ``takes_files`` of the person
    who looks, while they said it last."""

    id: int
    at: Moment
    by: str | None
    act: str
    text: str
    files: list[AttachedView]
    takes_files: bool


class BetweenVersions(View):
    """What two versions differ in: in words, and of each check that both have done the figures judged. ``not_run`` are
    those of the two of which nothing was run."""

    before: str
    after: str
    changes: list[VersionChange]
    exhibits: list[RetestedExhibit]
    not_run: list[str]


class OtherVersion(View):
    case_id: int
    version: str


class RetestView(View):
    """A retest of a finding on a ``version`` of the model, whose case is ``on_case_id``: how far it is, or its result.
    Its evidence is a file of its own once it is done."""

    id: int
    version: str
    on_case_id: int
    state: str
    done: int
    needed: int
    said: str
    by: str
    asked: Moment
    result: RetestResult | None


class AddresseeView(View):
    """Somebody to whom a comment is addressed, and when they said that they have read it."""

    name: str
    read: Moment | None


class FindingEntryView(SaidView):
    """Of an owner's answer what it is, and of one that is mended the version; of an accepted risk its last day; of a
    retest its figures; of a comment to whom it is addressed, and whether the person who looks has to read it yet."""

    to: list[AddresseeView]
    unread: bool
    retest: RetestView | None
    answer: str | None
    version: str
    until: date | None


class FindingView(View):
    """``may`` is what the person who looks may do about it now; ``until`` the last day of an accepted risk; ``retest``
    the last that was asked for, until it is done. ``answer_by`` is the day by which the owner answers while it is open;
    ``overdue`` that it passed."""

    id: int
    number: int
    severity: int
    title: str
    what: str
    why: str
    action: str
    action_owner: str
    due: date | None
    cites: list[Citation]
    new_rows: list[NewRowsCitation]
    state: FindingState
    until: date | None
    answer_by: date | None
    overdue: bool
    entries: list[FindingEntryView]
    retest: RetestView | None
    may: list[FindingAct]
    author: str
    revision: int


class CasePeopleView(View):
    """``answerable`` are the people of the model and the team it is declared to be of, who can be asked to mend what is
    found; ``addressable`` all of the case to whom the person who looks can address a comment."""

    answerable: list[str]
    addressable: list[NamedPerson]


class Condition(View):
    """What has to be met, by when, and by whom of those who belong to the model, where that is said."""

    what: Words
    due: date
    who: str = ""


class ConditionView(View):
    """``may`` is what the person who looks may do about it now; ``lapsed`` that its date passed and it was not met."""

    number: int
    what: str
    who: str
    due: date
    state: ConditionState
    lapsed: bool
    entries: list[SaidView]
    may: list[ConditionAct]
    revision: int


class ApprovalView(View):
    """An approval with its term, both days included, and how it stands today among the model's others."""

    signed: date
    until: date
    standing: ModelStanding
    why: str
    conditions: list[ConditionView]


class AskedAbout(View):
    """What a question was asked about, with its words as they were then."""

    kind: Literal["exhibit", "column", "claim"]
    key: str
    words: str


class AskedView(View):
    """A question to the owner. ``overdue`` that its day passed without an answer; while it is not answered and
    ``holds`` the case, that waits for the owner. ``may`` is what the person who looks may do about it now."""

    number: int
    text: str
    about: AskedAbout | None
    due: date | None
    overdue: bool
    holds: bool
    state: QuestionState
    asked: Moment
    asked_by: str
    revision: int
    entries: list[SaidView]
    may: list[QuestionAct]


class AskedViews(View):
    """What the owner of a case was asked."""

    may_ask: bool
    questions: list[AskedView]


class DecisionView(View):
    id: int
    kind: str
    reasons: str
    conditions: list[Condition]
    state: str
    proposed_by: str
    proposed: Moment
    answered_by: str | None
    answered: Moment | None
    comment: str


class QuestionView(View):
    number: int
    question: str
    standing: Standing | None
    answers: list[str]


class DecisionPage(View):
    """``answerable`` are those who belong to the model, whom a condition can name; an approval lasts
    ``approved_years``."""

    questions: list[QuestionView]
    statements: list[StatementView]
    findings: list[FindingView]
    departures: list[str]
    deviations: list[DeviationView]
    decisions: list[DecisionView]
    blockers: list[str]
    needs_reason: list[str]
    statement: DecisionStatement | None
    statement_sha256: str | None
    approval: ApprovalView | None
    answerable: list[str]
    approved_years: int


class RenditionView(View):
    """A report that was asked for; ``said`` is why it failed. Its pages have their hashes once they are there."""

    state: Literal["waiting", "leased", "done", "failed"]
    done: int
    needed: int
    said: str
    asked: Moment
    finished: Moment | None
    html_sha256: str | None
    pdf_sha256: str | None


class PartView(View):
    """A part of a whole report, and what it is called."""

    name: Part
    words: str


class ReportView(View):
    """``current`` is the rendition of the case as it is, where one was asked for; ``shown`` the one that is read.
    ``form`` is how the report that is asked for is made, and ``parts`` all that a whole one can have.
    """

    signed: bool
    form: OrderedReport
    parts: list[PartView]
    statement_sha256: str | None
    current: RenditionView | None
    shown: RenditionView | None


class SharedNoteView(View):
    """A note that somebody shares with the other validators of the case."""

    id: int
    by: str
    at: Moment
    text: str


class SharedNotesView(View):
    """``may_share`` is whether the person who looks can add one."""

    notes: list[SharedNoteView]
    may_share: bool


class MarginView(View):
    """``revision`` counts the saves; 0 where there are no notes yet."""

    text: str
    set_aside: list[int]
    revision: int


class EntryView(View):
    """``case`` is what the case is of, in words; ``before`` and ``after`` are JSON, told apart in ``changes``."""

    id: int
    at: Moment
    who: str
    case_id: int | None
    case: str | None
    kind: ActKind | None
    act: str
    subject: str
    before: str
    after: str
    changes: list[ValueChangeView]
    hash: str


class RecordPersonView(View):
    id: int
    name: str


class RecordModelView(View):
    key: str
    name: str


class RecordView(View):
    """A page of entries, and whom and what they can be narrowed to."""

    entries: list[EntryView]
    total: int
    people: list[RecordPersonView]
    models: list[RecordModelView]


class ChainView(View):
    """``signed_from`` is the first entry that is signed; ``anchors`` is how many heads stand outside the database."""

    entries: int
    head: str
    signed_from: int | None
    anchors: int
    statements: int
    fault: str | None


class PolicyHead(View):
    """A policy of the house as a list has it. ``number`` counts those that were signed; people are names.

    ``in_force``: it is the one that cases are planned under today. ``sha256`` names the text that is signed.
    """

    id: int
    number: int | None
    name: str
    state: Literal["draft", "proposed", "signed", "discarded"]
    note: str
    revision: int
    in_force: bool
    in_force_from: date | None
    drafted_by: str
    drafted: Moment
    proposed_by: str | None
    proposed: Moment | None
    answered_by: str | None
    answered: Moment | None
    comment: str
    sha256: str | None


class PoliciesPage(View):
    """Every policy that was signed, the newest first, and the draft. ``in_force`` is None while the built-in one is."""

    in_force: PolicyHead | None
    versions: list[PolicyHead]
    draft: PolicyHead | None
    may_draft: bool


class PolicyTierView(TierPolicy):
    """A tier of a policy with everything written out."""

    materiality: Materiality = MATERIALITY
    days_to_answer: int = DAYS_TO_ANSWER


class HousePolicyView(HousePolicy):
    """A policy with everything written out."""

    report: ReportForm
    tiers: dict[int, PolicyTierView]  # type: ignore[assignment]


class LimitName(View):
    """A limit of a policy, what it is on, and the checks that read it, by their titles."""

    name: str
    on: str
    checks: list[str]


class PolicyChangeView(View):
    """A difference of two policies, in words; ``tier`` is None of what holds for all."""

    tier: int | None
    about: str
    before: str
    after: str


class PolicyPage(View):
    """A policy, whole. ``head`` is None of the built-in one. ``changes`` are against the policy ``against``: the one in
    force for a draft, the one before for what was signed. ``why_not_answer`` says why who could countersign may not."""

    head: PolicyHead | None
    policy: HousePolicyView
    limits: list[LimitName]
    check_names: list[str]
    against: str
    changes: list[PolicyChangeView]
    may_change: bool
    may_propose: bool
    may_answer: bool
    why_not_answer: str


class MovedCount(View):
    """How many exhibits would stand otherwise: ``before`` and ``after``; None where nothing would be judged."""

    before: LimitStanding | None
    after: LimitStanding | None
    count: int


class CheckEffect(View):
    """Exhibits of a check in the last year: how many stay, move, or can't be told without a run."""

    check: str
    title: str
    stay: int
    moved: list[MovedCount]
    needs_run: int


class CaseEffect(View):
    case_id: int
    model: str
    version: str
    worse: int
    better: int
    needs_run: int


class CountedText(View):
    what: str
    count: int


class PolicyEffect(View):
    """What a policy would have changed in the cases that were run in the last year.

    ``cases`` were looked at, ``worse`` have an exhibit that would stand worse, ``better`` one that would stand better,
    ``needs_run`` one that can't be told. ``which`` names them for who may read every case, and is empty for others.
    ``statements`` are what would have been due in writing beside, with how many cases.
    """

    since: date
    cases: int
    worse: int
    better: int
    needs_run: int
    checks: list[CheckEffect]
    statements: list[CountedText]
    which: list[CaseEffect]


class OverruledView(View):
    """An exhibit that is taken otherwise than it stands."""

    id: int
    exhibit: int
    title: str
    standing: LimitStanding
    taken_as: OverruledAs
    reason: str
    by: str
    at: Moment


class OverrulingsView(View):
    """The standings of a case that are overruled, by exhibit, and whether the person who looks may overrule one."""

    overruled: list[OverruledView]
    may_overrule: bool


class OverrideLine(View):
    """A departure from the policy's limit in a plan, or an overruled standing: of which case, on what, by whom, why.

    ``was`` is what the policy says, or how the exhibit stands; ``instead`` what the plan says, or what it is taken as.
    ``at`` is None of a departure, which is the plan's.
    """

    kind: Literal["limit", "standing"]
    case_id: int
    model: str
    version: str
    tier: int
    on: str
    was: str
    instead: str
    by: str
    at: Moment | None
    reason: str


class OverridesPage(View):
    lines: list[OverrideLine]


class RequirementsView(View):
    """What is asked of a case from outside, by its policy; how many of these are ``open``."""

    requirements: list[AnsweredRequirement]
    open: int


class FieldName(View):
    name: str
    stands_for: str


class TemplateView(View):
    """A template of the house. ``fits`` is a check's name or a kind of outcome, empty where it fits any; ``words`` are
    a finding's, and None of a plan."""

    id: int
    name: str
    fits: str
    words: FindingWords | None
    by: str
    made: Moment
    revision: int


class TemplatesView(View):
    """What the house keeps, by name, and the fields that a case fills in by itself."""

    findings: list[TemplateView]
    plans: list[TemplateView]
    may_write: bool
    fields: list[FieldName]
