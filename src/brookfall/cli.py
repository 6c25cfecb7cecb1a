"""The command line: the same core without the web, for scripts and for anyone who doubts the server.

What a command needs is imported when it is called: the libraries take seconds, and ``--help`` takes none of them.
"""

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

import click

from brookfall.core.foundation.errors import UserError

if TYPE_CHECKING:
    from brookfall.core.judge.house_policy import HousePolicy
    from brookfall.core.plan.plan import Plan
    from brookfall.core.retest.evidence_file import Evidence
    from brookfall.core.submission.package import Package
    from brookfall.desk.views import NewLink

_NICE = 10
_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


@contextmanager
def _told() -> Iterator[None]:
    """What is wrong with what was given goes to standard error, with exit code 2."""
    try:
        yield
    except UserError as problem:
        click.echo(str(problem), err=True)
        sys.exit(2)
    except Exception as problem:
        from sqlalchemy.exc import DBAPIError

        if not isinstance(problem, DBAPIError):
            raise
        click.echo(f"The database did not answer, or refused: {problem.orig}", err=True)
        sys.exit(2)


def _write(file: Path, content: bytes) -> None:
    """Writes a file whole or not at all; UserError where it can't be written."""
    is_device = file.exists() and not file.is_file()
    part = file if is_device else file.with_name(f"{file.name}.part")
    try:
        part.write_bytes(content)
        if not is_device:
            part.replace(file)
    except OSError as problem:
        raise UserError(f"{file} can't be written: {problem.strerror}.", todo="Nothing was kept.") from problem
    finally:
        if not is_device:
            with suppress(OSError):
                part.unlink(missing_ok=True)


def _opened(package: Path) -> "Package":
    """The package in a folder or zip, read in a confined child, as a stranger may have made it; UserError as there."""
    from brookfall.core.foundation.sizes import DEFAULT_MAX_BYTES
    from brookfall.core.submission.files import files_of_folder
    from brookfall.sandbox import sandbox

    if not package.exists():
        raise UserError("There is no such file or folder.", todo="Check the path.", file=str(package))
    sent = files_of_folder(package, DEFAULT_MAX_BYTES) if package.is_dir() else package.read_bytes()
    return sandbox.read_package(sent, DEFAULT_MAX_BYTES)


def _start_to_read(_context: click.Context, _parameter: click.Parameter, package: Path) -> Path:
    """Starts the process that reads PACKAGE before anything large is imported here: both import side by side.

    It is confined as far as this machine allows, unless somebody asks for all of it: no server is at stake.
    """
    from brookfall.sandbox.children import server

    os.environ.setdefault("BROOKFALL_SANDBOX", "best")
    if package.exists():
        server.start()
    return package


_package = click.argument("package", type=click.Path(path_type=Path), callback=_start_to_read)


_by_policy = click.option(
    "--policy",
    "policy_file",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="The house's policy as YAML; else the built-in one.",
)


@click.group()
@click.version_option(package_name="brookfall")
def main() -> None:
    """Independent re-testing of predictive models."""


@main.command()
@_package
@click.option("--plan", "plan_file", type=click.Path(exists=True, path_type=Path), help="A plan as YAML.")
@_by_policy
@click.option("--seed", type=click.IntRange(0, 2**32 - 1), help="Replaces the plan's seed, never the recipe's.")
@click.option("--jobs", type=click.IntRange(1), default=1, show_default=True, help="Processes that fit.")
@click.option("--only", multiple=True, metavar="CHECK", help="Run only this check; may be repeated.")
@click.option("--out", type=click.Path(path_type=Path), help="Where the evidence goes; else standard output.")
def retest(
    package: Path,
    plan_file: Path | None,
    policy_file: Path | None,
    seed: int | None,
    jobs: int,
    only: tuple[str, ...],
    out: Path | None,
) -> None:
    """Re-test PACKAGE (a folder or .zip) and write the evidence as JSON."""

    with _told():
        if plan_file is not None and policy_file is not None:
            raise UserError("A plan has its policy in it.", todo="Give --plan or --policy, not both.")
        evidence = _retest(package, plan_file, policy_file, seed, jobs, only)
    text = evidence.to_json() + "\n"
    if out is None:
        click.echo(text, nl=False)
        return
    with _told():
        _write(out, text.encode())
    for exhibit in evidence.exhibits:
        click.echo(f"{exhibit.number:>3} {exhibit.check:<17} {exhibit.standing or '-':<10} {exhibit.answer}")
    due = [one.title for one in evidence.policy.statements if one.name in evidence.plan.statements]
    if due:
        click.echo(f"The reviewer still judges in writing: {', '.join(due)}.", err=True)


@main.command()
@click.argument("evidence_file", type=click.Path(exists=True, path_type=Path))
@_package
@click.option("--jobs", type=click.IntRange(1), default=1, show_default=True, help="Processes that fit.")
@click.option(
    "--added",
    multiple=True,
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="A file that was added.",
)
def replay(evidence_file: Path, package: Path, jobs: int, added: tuple[Path, ...]) -> None:
    """Refit everything in EVIDENCE_FILE from PACKAGE and compare bit for bit. Exit 1 says what differs."""
    from brookfall.core.check.bench import Bench
    from brookfall.core.retest.evidence_file import read_evidence
    from brookfall.core.retest.evidence_replay import compared
    from brookfall.core.retest.run import retest as run_retest
    from brookfall.core.submission.added import with_added
    from brookfall.core.submission.subject import subject_of
    from brookfall.sandbox import sandbox

    try:
        evidence = read_evidence(evidence_file.read_text(encoding="utf-8"))
    except ValueError as problem:
        click.echo(f"{evidence_file}: This is not an evidence file ({str(problem).splitlines()[0]}).", err=True)
        sys.exit(2)
    with _told():
        opened = _opened(package)
        if opened.sha256 != evidence.package.sha256:
            raise UserError("This is not the package that the evidence is about.", todo="Give the same package.")
        files = {str(path): path.read_bytes() for path in added}
        whole = with_added(opened, evidence.added, files, sandbox.read_file)
        subject = subject_of(whole, evidence.roles, evidence.changes)
        again = run_retest(Bench(subject, evidence.plan, evidence.marks), jobs)
    told = compared(evidence, again)
    for line in told.lines:
        click.echo(line)
    if not told.same:
        sys.exit(1)


@main.command()
@_package
@click.argument("file", type=_FILE)
@click.option(
    "--model",
    "models",
    multiple=True,
    default=("recipe",),
    metavar="recipe|artifact|FAMILY",
    help="Which model scores the rows; may be repeated.  [default: recipe]",
)
@click.option("--coverage", type=float, default=0.9, show_default=True, help="What sets and intervals shall cover.")
@click.option("--seed", type=click.IntRange(0, 2**32 - 1), default=0, show_default=True, help="Of folds and ties.")
@click.option("--reasons/--no-reasons", default=True, help="Why the first rows have their scores.  [default: reasons]")
@click.option("--out", type=click.Path(path_type=Path), help="A .csv, .parquet or .xlsx file; else standard output.")
def score(
    package: Path,
    file: Path,
    models: tuple[str, ...],
    coverage: float,
    seed: int,
    reasons: bool,
    out: Path | None,
) -> None:
    """Score the new rows in FILE by models of PACKAGE: a row a row of FILE, in its order.

    What has to be known to read them goes to standard error, and how right they are where FILE has outcomes.
    """
    from brookfall.core.new_rows import told
    from brookfall.core.new_rows.columns import scored_columns
    from brookfall.core.new_rows.learned import models_asked
    from brookfall.core.new_rows.match import read_new_rows
    from brookfall.core.new_rows.measured import measured
    from brookfall.core.new_rows.score import score_new_rows
    from brookfall.core.submission.subject import subject_of
    from brookfall.core.table.write import WRITABLE, csv_of, written_as
    from brookfall.sandbox import sandbox

    with _told():
        if out is not None and out.suffix.lower() not in WRITABLE:
            raise UserError(f"{out} can't be written so.", todo=f"End it with {', '.join(WRITABLE)}.")
        opened = _opened(package)
        subject = subject_of(opened)
        asked = models_asked(subject, models)
        rows = read_new_rows(subject, file.read_bytes(), file.name, opened.submission.data[0].read, sandbox.read_file)
        scored = score_new_rows(rows, asked, coverage=coverage, seed=seed, explain=reasons)
        table, held = scored_columns(scored), measured(scored)
        if out is None:
            for lines in csv_of(table):
                click.echo(lines, nl=False)
        else:
            _write(out, written_as(table, out.suffix.lower()))
    click.echo(told.answer(scored, held), err=True)
    figures = [] if held is None else told.figures_in_words(scored, held)
    for line in (*told.remarks(scored), *figures, *told.method(scored)):
        click.echo(line, err=True)


@main.command()
@_package
@click.option("--url", required=True, help="Where Brookfall is, such as http://127.0.0.1:8000.")
@click.option("--token", required=True, envvar="BROOKFALL_TOKEN", help="A personal token; or BROOKFALL_TOKEN.")
@click.option("--due", help="When an answer is wanted, as 2027-01-31.")
def submit(package: Path, url: str, token: str, due: str | None) -> None:
    """Submit PACKAGE (a folder or .zip), checked here first, and write the case's address."""
    from brookfall.upload import send_package

    with _told():
        opened = _opened(package)
        case_id = send_package(opened.files, url, token, due, lambda said: click.echo(said, err=True))
    click.echo(f"{url.rstrip('/')}/cases/{case_id}")


@main.command()
def methods() -> None:
    """Write what every measure, check and family says of itself, those of other packages too, as Markdown."""
    from brookfall.core.check.methods_page import methods_page

    click.echo(methods_page())


@main.command("plan")
@_package
@_by_policy
def write_plan(package: Path, policy_file: Path | None) -> None:
    """Write the standard plan of PACKAGE as YAML, to be changed and given to retest."""
    from brookfall.core.plan.yaml_file import plan_to_yaml

    with _told():
        plan = _plan(_opened(package), None, policy_file)
    click.echo(plan_to_yaml(plan), nl=False)


@main.command("policy")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path), required=False)
def write_policy(file: Path | None) -> None:
    """Write the built-in policy as YAML, to be changed and given to --policy; or say whether FILE can be used."""
    from brookfall.core.judge.house_policy import built_in_house, house_to_yaml

    if file is None:
        click.echo(house_to_yaml(built_in_house()), nl=False)
        return
    with _told():
        click.echo(f"{_house(file).name}: can be used.")


@main.command()
@_package
def check(package: Path) -> None:
    """Read PACKAGE (a folder or .zip) and check that all in it agrees; nothing is fitted. Exit 2 says what is wrong."""
    from brookfall.core.foundation import wording
    from brookfall.core.submission.subject import subject_of

    with _told():
        opened = _opened(package)
        subject = subject_of(opened)
    declared = opened.submission
    came = [
        f"{wording.rows(opened.table.n_rows)}, {len(subject.features) or 'no'} features",
        f"recipe: {declared.recipe.family}" if declared.recipe else "no recipe",
        *(f"scores: {entry.path}" for entry in declared.predictions),
        *([f"claims: {len(declared.claims)}"] if declared.claims else []),
    ]
    click.echo(f"{declared.model.name} {declared.model.version} can be submitted ({'; '.join(came)}).")


_owner_url = click.option(
    "--owner-url",
    required=True,
    envvar="BROOKFALL_OWNER_DATABASE_URL",
    help="The database as who owns its tables; or BROOKFALL_OWNER_DATABASE_URL. Set it for this command alone.",
)
_grant_to = click.option(
    "--grant-to", default="brookfall", show_default=True, help="The user that the application runs as."
)


@main.command()
@_owner_url
@_grant_to
def migrate(owner_url: str, grant_to: str) -> None:
    """Bring the database up to date, and grant the application what it may do."""
    from brookfall.records.database import migrate as bring_up_to_date

    bring_up_to_date(owner_url, granted_to=grant_to)
    click.echo("The database is up to date.")


@main.command("backup")
@click.argument("file", type=click.Path(path_type=Path))
def make_backup(file: Path) -> None:
    """Write everything in the database to FILE, as it is at one moment; work goes on meanwhile."""
    from brookfall.records.backup import back_up
    from brookfall.records.config import config

    with _told():
        head = back_up(config().database_url, file)
    click.echo(f"{file} holds all as of {head.made}, {file.stat().st_size / 1e6:.1f} MB, of migration {head.schema}.")
    click.echo("It holds no key of the record: keep that apart, and each where the other is not.")


@main.command("restore")
@click.argument("file", type=_FILE)
@_owner_url
@_grant_to
def restore_backup(file: Path, owner_url: str, grant_to: str) -> None:
    """Put the backup in FILE into an empty database and bring it up to date."""
    from brookfall.records.backup import restore

    with _told():
        head = restore(owner_url, file, granted_to=grant_to)
    click.echo(f"Restored as of {head.made}. Now 'brookfall verify' says whether all is as it was signed.")


@main.command()
@click.option("--bind", default="127.0.0.1:8000", show_default=True, help="Address and port.")
@click.option("--processes", type=click.IntRange(1), default=2, show_default=True)
@click.option("--threads", type=click.IntRange(1), default=8, show_default=True, help="Of each process.")
def serve(bind: str, processes: int, threads: int) -> None:
    """Serve the pages and the API, in the foreground."""
    from brookfall.records.config import config

    with _told():
        config()
    # An idle connection is kept for longer than browsers and proxies keep it: a server that closes it first breaks a
    # request that is on its way.
    command = [
        "-m", "gunicorn", "--worker-class=brookfall.api.web_worker.WebWorker", f"--workers={processes}",
        f"--threads={threads}", f"--bind={bind}", "--keep-alive=75", "--no-control-socket", "--preload",
        "brookfall.api.served:application()",
    ]  # fmt: skip
    # This process goes on as another program, under the same number: signals reach it at once.
    os.execv(sys.executable, [sys.executable, *command])  # noqa: S606 - our own command


@main.command()
@click.option("--name", default="worker", show_default=True, help="Tells workers of one machine apart.")
@click.option(
    "--for",
    "lines",
    type=click.Choice(["short,runs", "runs", "short"]),
    default="short,runs",
    show_default=True,
    help="What somebody waits for at a page; runs and long replays; or both.",
)
@click.option("--nice", type=click.IntRange(0, 19), help="Gives way to others by so much; 10 where it works on runs.")
@click.option(
    "--processes", type=click.IntRange(1), default=1, show_default=True, help="So many workers, kept up by a parent."
)
def work(name: str, lines: str, nice: int | None, processes: int) -> None:
    """Carry out what is asked for, in the foreground: workers of one process and one thread.

    Start as many as there are cores for runs, and one beside them for what is short, so that nobody waits behind a run.
    """
    from brookfall.core.foundation.one_thread import ONE_THREAD
    from brookfall.records.config import config

    os.environ.update(ONE_THREAD)
    with _told():
        config()
    os.nice((_NICE if "runs" in lines else 0) if nice is None else nice)
    from brookfall.engine import siblings

    if processes == 1:
        siblings.work(name, lines)
    else:
        siblings.keep_up(name, lines, processes)


@main.command()
def doctor() -> None:
    """Look at the installation from end to end, changing nothing. Exit 1 where something is amiss."""
    from brookfall.engine.doctor import examine

    with _told():
        found = list(examine())
    for one in found:
        click.echo(f"{'well' if one.is_well else 'AMISS':<6}{one.what}: {one.said}.")
    if not all(one.is_well for one in found):
        sys.exit(1)


@main.command()
@click.argument("bundle", type=_FILE, required=False)
def verify(bundle: Path | None) -> None:
    """Verify an evidence BUNDLE by itself; or, without one, the server's record and all that was signed, down to the
    stored bytes. Exit 1 where something is amiss."""
    if bundle is not None:
        _verify_bundle(bundle)
        return
    from brookfall.records.database import transaction
    from brookfall.records.verification import verify_everything

    with _told(), transaction() as session:
        found = verify_everything(session, tell=lambda what: click.echo(f"Looking at {what} …", err=True))
    if found.fault:
        click.echo(f"Amiss: {found.fault}.", err=True)
        sys.exit(1)
    signed = f", signed from entry {found.signed_from} on" if found.signed_from else ", none of them signed"
    click.echo(f"All {found.entries} entries hold{signed}; the last hash is {found.head}.")
    click.echo(
        f"{found.statements} signed statements and all they name are whole; {found.bytes_checked / 1e6:.1f} MB were "
        f"read. {found.anchors} anchors agree."
        + (f" {found.erased} files were taken away after their term, as the record says." if found.erased else "")
    )


def _verify_bundle(file: Path) -> None:
    from brookfall.core.foundation.sizes import DEFAULT_MAX_BYTES
    from brookfall.sandbox import sandbox

    os.environ.setdefault("BROOKFALL_SANDBOX", "best")
    with _told():
        # A bundle holds a package, and beside it reports and evidence.
        found = sandbox.check_bundle(file.read_bytes(), file.name, 2 * DEFAULT_MAX_BYTES)
    for line in found.lines:
        click.echo(line)
    if found.fault:
        click.echo(f"Amiss: {found.fault}.", err=True)
        sys.exit(1)


@main.group()
def record() -> None:
    """The key that signs the record; run where the server's configuration is set."""


@record.command("new-key")
@click.argument("file", type=click.Path(path_type=Path))
def new_key(file: Path) -> None:
    """Make a key in FILE, for a server that has none or changes it. Keep a copy apart from the database's backups."""
    from brookfall.records.record_key import make_key

    with _told():
        click.echo(f"{file} has the key {make_key(file).id}.")


@record.command("rotate-key")
@click.argument("file", type=_FILE)
def rotate(file: Path) -> None:
    """Announce the key in FILE by an entry that the present key signs; then set BROOKFALL_RECORD_KEY_FILE to it."""
    from brookfall.records.audit_log import rotate_key
    from brookfall.records.database import transaction
    from brookfall.records.record_key import read_key

    with _told(), transaction() as session:
        key = read_key(file)
        rotate_key(session, key)
        click.echo(f"The record knows the key {key.id}. Start web and workers with it.")


@main.group("people")
def people_commands() -> None:
    """Who may sign in; run where the server's configuration is set."""


@people_commands.command("add")
@click.argument("login")
@click.option("--name", required=True, help="The name that others read, and that signs.")
@click.option("--role", "roles", multiple=True, help="What they may do; may be repeated.")
@click.option("--administrator", is_flag=True, help="The same as --role administrator.")
@click.option("--mail", default="", help="Where they are written to.")
def add_a_person(login: str, name: str, roles: tuple[str, ...], administrator: bool, mail: str) -> None:
    """Add a person who signs in as LOGIN, and print the link by which they choose a password."""
    from brookfall.desk import accounts
    from brookfall.records.database import transaction

    wanted = (*roles, *(("administrator",) if administrator else ()))
    with _told(), transaction() as session:
        person = accounts.add(session, None, login, name, wanted, mail)
        link = accounts.new_link(session, None, person.id, _own_address(), mail=False)
        click.echo(f"{person.name} signs in as {person.login} ({', '.join(person.roles)}), once a password is chosen:")
        _print_link(link)


@people_commands.command("list")
def list_people() -> None:
    """Who has an account, what they may do, and when they signed in last."""
    from brookfall.desk import accounts
    from brookfall.records.database import transaction

    with _told(), transaction() as session:
        for one in accounts.accounts_of_all(session):
            state = "disabled" if one.disabled else "" if one.has_password else "no password yet"
            last = f"signed in {one.signed_in:%Y-%m-%d %H:%M}" if one.signed_in else "never signed in"
            told = [one.name, ", ".join(one.roles), last, *([state] if state else [])]
            click.echo(f"{one.login:<20} {'; '.join(told)}")


@people_commands.command("roles")
@click.argument("login")
@click.argument("roles", nargs=-1, required=True)
def set_roles(login: str, roles: tuple[str, ...]) -> None:
    """Let LOGIN do what ROLES say from now on, and nothing else."""
    from brookfall.desk import accounts, people
    from brookfall.records.database import transaction

    with _told(), transaction() as session:
        person = accounts.set_roles(session, None, people.person_by_login(session, login).id, roles)
        click.echo(f"{person.name}: {', '.join(person.roles)}.")


@people_commands.command("reset")
@click.argument("login")
@click.option("--second-factor", is_flag=True, help="Take the second factor away too, where the authenticator is lost.")
def reset_person(login: str, second_factor: bool) -> None:
    """Print a new link by which LOGIN chooses a password; the old one works until then."""
    from brookfall.desk import accounts, people
    from brookfall.desk import second_factor as factors
    from brookfall.records.database import transaction

    with _told(), transaction() as session:
        person = people.person_by_login(session, login)
        if second_factor:
            factors.take_away(session, None, person)
        link = accounts.new_link(session, None, person.id, _own_address(), mail=False)
        click.echo(f"{person.name} chooses a new password:")
        _print_link(link)


def _own_address() -> str:
    from brookfall.records.config import config

    return config().public_url or ""


def _print_link(link: "NewLink") -> None:
    address = link.link if "://" in link.link else f"(the address of your server){link.link}"
    click.echo(f"  {address}")
    click.echo(f"It works once, until {link.ends:%Y-%m-%d %H:%M} UTC, and can't be shown again.")


@people_commands.command("disable")
@click.argument("login")
@click.option("--reason", required=True, help="Why; the record keeps it.")
def disable_person(login: str, reason: str) -> None:
    """End the sessions and tokens of LOGIN, and let them sign in no more."""
    from brookfall.desk import people
    from brookfall.records.database import transaction

    with _told(), transaction() as session:
        person = people.disable(session, login, reason)
        click.echo(f"{person.name} can't sign in any more; their sessions and tokens have ended.")


@people_commands.command("enable")
@click.argument("login")
def enable_person(login: str) -> None:
    """Let LOGIN sign in again, with the password they had."""
    from brookfall.desk import people
    from brookfall.records.database import transaction

    with _told(), transaction() as session:
        click.echo(f"{people.enable(session, login).name} can sign in again.")


def _retest(
    path: Path, plan_file: Path | None, policy_file: Path | None, seed: int | None, jobs: int, only: tuple[str, ...]
) -> "Evidence":
    from brookfall.core.check.bench import Bench
    from brookfall.core.check.standard_plan import known_checks
    from brookfall.core.plan.plan import Plan
    from brookfall.core.retest.evidence_file import evidence_of
    from brookfall.core.retest.run import retest as run_retest
    from brookfall.core.submission.subject import subject_of

    package = _opened(path)
    subject = subject_of(package)
    plan = _plan(package, plan_file, policy_file)
    sha256 = package.sha256
    del package  # its files are as large as the rows, and nothing reads them from here on
    changes = {"seed": seed if seed is not None else plan.seed, "checks": only or plan.checks}
    plan = known_checks(Plan.model_validate({**plan.model_dump(), **changes}))
    showing = sys.stderr.isatty()

    def progress(done: int, needed: int) -> None:
        if showing:
            click.echo(f"\r{done} of {needed} fits", nl=done == needed, err=True)

    exhibits = run_retest(Bench(subject, plan), jobs, progress)
    return evidence_of(sha256, plan, subject.roles, exhibits)


def _house(file: Path) -> "HousePolicy":
    from brookfall.core.check.registry import checks
    from brookfall.sandbox import sandbox

    try:
        text = file.read_text(encoding="utf-8")
    except UnicodeDecodeError as problem:
        raise UserError("The policy is not UTF-8 text.", todo="Save it as such.", file=str(file)) from problem
    return sandbox.read_policy_file(text, str(file), tuple(checks()))


def _plan(package: "Package", plan_file: Path | None, policy_file: Path | None = None) -> "Plan":
    from brookfall.core.check.standard_plan import standard_plan
    from brookfall.core.submission.stated_capacity import stated_capacity
    from brookfall.sandbox import sandbox

    if plan_file is None:
        declared = package.submission
        stated = stated_capacity(declared.model)
        roles = declared.data[0].roles
        return standard_plan(
            declared.model.tier,
            outcome=declared.model.outcome,
            given_parts=roles.part is not None,
            grouped=(roles.group or roles.occasion) is not None,
            timed=roles.time is not None,
            observed=roles.observed is not None,
            scores_alone=declared.scores_alone,
            house=None if policy_file is None else _house(policy_file),
            capacity=None if stated is None else stated.percent,
        )
    try:
        text = plan_file.read_text(encoding="utf-8")
    except UnicodeDecodeError as problem:
        raise UserError("The plan is not UTF-8 text.", todo="Save it as such.", file=str(plan_file)) from problem
    return sandbox.read_plan_file(text, str(plan_file))


if __name__ == "__main__":
    main()
