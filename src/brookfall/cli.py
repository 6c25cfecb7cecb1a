"""The command line: the same core without the web, for scripts and for anyone who doubts the server.

What a command needs is imported when it is called: the libraries take seconds, and ``--help`` takes none of them.
"""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

from brookfall.core.foundation.errors import UserError

if TYPE_CHECKING:
    from brookfall.core.plan.plan import Plan
    from brookfall.core.retest.evidence_file import Evidence
    from brookfall.core.submission.package import Package

_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


@contextmanager
def _told() -> Iterator[None]:
    """What is wrong with what was given goes to standard error, with exit code 2."""
    try:
        yield
    except UserError as problem:
        click.echo(str(problem), err=True)
        sys.exit(2)


@click.group()
@click.version_option(package_name="brookfall")
def main() -> None:
    """Independent re-testing of predictive models."""


@main.command()
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--plan", "plan_file", type=click.Path(exists=True, path_type=Path), help="A plan as YAML.")
@click.option("--seed", type=click.IntRange(0, 2**32 - 1), help="Replaces the plan's seed, never the recipe's.")
@click.option("--jobs", type=click.IntRange(1), default=1, show_default=True, help="Processes that fit.")
@click.option("--only", multiple=True, metavar="CHECK", help="Run only this check; may be repeated.")
@click.option("--out", type=click.Path(path_type=Path), help="Where the evidence goes; else standard output.")
def retest(
    package: Path, plan_file: Path | None, seed: int | None, jobs: int, only: tuple[str, ...], out: Path | None
) -> None:
    """Re-test PACKAGE (a folder or .zip) and write the evidence as JSON."""
    from brookfall.core.submission.package import open_package

    with _told():
        evidence = _retest(open_package(package), plan_file, seed, jobs, only)
    text = evidence.to_json() + "\n"
    if out is None:
        click.echo(text, nl=False)
        return
    out.write_text(text, encoding="utf-8")
    for exhibit in evidence.exhibits:
        click.echo(f"{exhibit.number:>3} {exhibit.check:<17} {exhibit.standing or '-':<10} {exhibit.answer}")


@main.command()
@click.argument("evidence_file", type=click.Path(exists=True, path_type=Path))
@click.argument("package", type=click.Path(path_type=Path))
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
    from brookfall.core.submission.package import open_package
    from brookfall.core.submission.subject import subject_of

    try:
        evidence = read_evidence(evidence_file.read_text(encoding="utf-8"))
    except ValueError as problem:
        click.echo(f"{evidence_file}: This is not an evidence file ({str(problem).splitlines()[0]}).", err=True)
        sys.exit(2)
    with _told():
        opened = open_package(package)
        if opened.sha256 != evidence.package.sha256:
            raise UserError("This is not the package that the evidence is about.", todo="Give the same package.")
        whole = with_added(opened, evidence.added, {str(path): path.read_bytes() for path in added})
        subject = subject_of(whole, evidence.roles, evidence.changes)
        again = run_retest(Bench(subject, evidence.plan, evidence.marks), jobs)
    told = compared(evidence, again)
    for line in told.lines:
        click.echo(line)
    if not told.same:
        sys.exit(1)


@main.command()
@click.argument("package", type=click.Path(path_type=Path))
@click.option("--url", required=True, help="Where Brookfall is, such as http://127.0.0.1:8000.")
@click.option("--token", required=True, envvar="BROOKFALL_TOKEN", help="A personal token; or BROOKFALL_TOKEN.")
@click.option("--due", help="When an answer is wanted, as 2027-01-31.")
def submit(package: Path, url: str, token: str, due: str | None) -> None:
    """Submit PACKAGE (a folder or .zip), checked here first, and write the case's address."""
    from brookfall.core.submission.package import open_package
    from brookfall.upload import send_package

    with _told():
        opened = open_package(package)
        case_id = send_package(opened.files, url, token, due, lambda said: click.echo(said, err=True))
    click.echo(f"{url.rstrip('/')}/cases/{case_id}")


@main.command()
def methods() -> None:
    """Write what every measure, check and family says of itself, those of other packages too, as Markdown."""
    from brookfall.core.check.methods_page import methods_page

    click.echo(methods_page())


@main.command("plan")
@click.argument("package", type=click.Path(path_type=Path))
def write_plan(package: Path) -> None:
    """Write the standard plan of PACKAGE as YAML, to be changed and given to retest."""
    from brookfall.core.plan.yaml_file import plan_to_yaml
    from brookfall.core.submission.package import open_package

    with _told():
        plan = _plan(open_package(package), None)
    click.echo(plan_to_yaml(plan), nl=False)


@main.command()
@click.argument("package", type=click.Path(path_type=Path))
def check(package: Path) -> None:
    """Read PACKAGE (a folder or .zip) and check that all in it agrees; nothing is fitted. Exit 2 says what is wrong."""
    from brookfall.core.foundation import wording
    from brookfall.core.submission.package import open_package
    from brookfall.core.submission.subject import subject_of

    with _told():
        opened = open_package(package)
        subject = subject_of(opened)
    declared = opened.submission
    came = [
        f"{wording.rows(opened.table.n_rows)}, {len(subject.features) or 'no'} features",
        f"recipe: {declared.recipe.family}" if declared.recipe else "no recipe",
        *(f"scores: {entry.path}" for entry in declared.predictions),
        *([f"claims: {len(declared.claims)}"] if declared.claims else []),
    ]
    click.echo(f"{declared.model.name} {declared.model.version} can be submitted ({'; '.join(came)}).")


def _retest(
    package: "Package", plan_file: Path | None, seed: int | None, jobs: int, only: tuple[str, ...]
) -> "Evidence":
    from brookfall.core.check.bench import Bench
    from brookfall.core.check.standard_plan import known_checks
    from brookfall.core.plan.plan import Plan
    from brookfall.core.retest.evidence_file import evidence_of
    from brookfall.core.retest.run import retest as run_retest
    from brookfall.core.submission.subject import subject_of

    subject = subject_of(package)
    plan = _plan(package, plan_file)
    changes = {"seed": seed if seed is not None else plan.seed, "checks": only or plan.checks}
    plan = known_checks(Plan.model_validate({**plan.model_dump(), **changes}))
    showing = sys.stderr.isatty()

    def progress(done: int, needed: int) -> None:
        if showing:
            click.echo(f"\r{done} of {needed} fits", nl=done == needed, err=True)

    exhibits = run_retest(Bench(subject, plan), jobs, progress)
    return evidence_of(package.sha256, plan, subject.roles, exhibits)


def _plan(package: "Package", plan_file: Path | None) -> "Plan":
    from brookfall.core.check.standard_plan import standard_plan
    from brookfall.core.plan.yaml_file import plan_from_yaml
    from brookfall.core.submission.stated_capacity import stated_capacity

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
            capacity=None if stated is None else stated.percent,
        )
    try:
        text = plan_file.read_text(encoding="utf-8")
    except UnicodeDecodeError as problem:
        raise UserError("The plan is not UTF-8 text.", todo="Save it as such.", file=str(plan_file)) from problem
    return plan_from_yaml(text, str(plan_file))


if __name__ == "__main__":
    main()
