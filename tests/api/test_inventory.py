"""Models: versions belong to one by its key, owner and members; a name may be two owners' model."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest
import yaml
from flask import Flask

from brookfall.demo.seed import PASSWORD
from brookfall.desk import inventory
from brookfall.launch.house import House
from tests.api.conftest import Answer, Visitor
from tests.api.packages import countersigned, submit
from tests.api.test_case import proposal, ran
from tests.conftest import files_of

SignIn = Callable[[str], Visitor]


@pytest.fixture(scope="module", autouse=True)
def owners(app: Flask) -> None:
    """Two more owners, and one who is a reviewer too."""
    from brookfall.desk.people import add_person
    from brookfall.records.database import transaction

    with transaction() as session:
        add_person(session, "mona", "Mona Vale", PASSWORD, ("owner",))
        add_person(session, "lars", "Lars Ford", PASSWORD, ("owner", "reviewer", "countersigner"))
        add_person(session, "gerd", "Gerd Brook", PASSWORD, ("owner",))


def named(name: str, *, key: str | None = None, tree: int = 3) -> dict[str, bytes]:
    """The sample package as a version of a model of this name, with a recipe that tells the owners apart."""
    files = files_of(claims=[], recipe={"family": "tree", "settings": {"depth": tree}})
    declared = yaml.safe_load(files["submission.yaml"])
    declared["model"]["name"] = name
    if key is not None:
        declared["model"]["key"] = key
    return {**files, "submission.yaml": yaml.safe_dump(declared).encode()}


def sent(visitor: Visitor, files: dict[str, bytes], version: str) -> str:
    answer = submit(visitor, files, version=version)
    assert answer.status_code == 200, answer.text
    return f"/api/cases/{answer.json['case_id']}"


def keys_of(visitor: Visitor) -> dict[str, str]:
    """The keys of the models that a person sees, by name and owner."""
    return {f"{line['name']} of {line['owner']}": line["key"] for line in visitor.get("/api/models")["models"]}


def test_another_owners_version_2_is_a_model_of_its_own(visitor: SignIn) -> None:
    nell, mona = visitor("nell"), visitor("mona")
    sent(nell, named("Told apart", tree=4), "1")
    theirs = sent(mona, named("Told apart", tree=2), "2")
    page = mona.get(theirs)
    assert page["previous"] == []
    assert page["since"] is None
    assert page["model_key"] == "told-apart-2"
    assert mona.get(f"{theirs}/plan")["plan"]["in_use"] is None, "another's recipe is no version in use of this model"
    # The version is free in the first owner's model, and nothing of the other's shows there.
    mine = sent(nell, named("Told apart", tree=3), "2")
    seen = nell.get(mine)
    assert [one["version"] for one in seen["previous"]] == ["1"]
    assert seen["since"]["version"] == "1"
    assert nell.get(f"{mine}/plan")["plan"]["in_use"]["version"] == "1"
    iris = visitor("iris")
    assert [one["version"] for one in iris.get(mine)["previous"]] == ["1"]
    keys = keys_of(iris)
    assert (keys["Told apart of Nell Farrow"], keys["Told apart of Mona Vale"]) == ("told-apart", "told-apart-2")
    assert "Told apart of Nell Farrow" not in keys_of(mona)
    assert mona.ask("GET", "/api/models/told-apart").status_code == 404


def test_a_member_sees_and_sends_versions_and_never_judges_them(visitor: SignIn) -> None:
    nell, mona, lars = visitor("nell"), visitor("mona"), visitor("lars")
    first = sent(nell, named("Sent by two"), "1")
    assert mona.ask("GET", first).status_code == 404
    members = "/api/models/sent-by-two/members"
    assert mona.ask("POST", members, {"login": "mona"}).status_code == 404
    page = nell.ask("POST", members, {"login": "mona"})
    assert [one["name"] for one in page.json["members"]] == ["Mona Vale"]
    assert mona.get(first)["version"] == "1"
    assert mona.get("/api/models/sent-by-two")["may_change_people"] is False
    assert mona.ask("POST", members, {"login": "gerd"}).status_code == 403
    second = sent(mona, named("Sent by two"), "2")
    assert [one["version"] for one in nell.get(second)["previous"]] == ["1"], "the owner sees what a member sent"

    assert nell.ask("POST", members, {"login": "lars"}).status_code == 200
    refused = lars.ask("POST", f"{first}/take")
    assert refused.status_code == 403
    assert refused.json["detail"] == "You belong to this model, so you can't review it."
    third = lars.get("/api/models/sent-by-two")
    (lars_id,) = [one["id"] for one in third["members"] if one["login"] == "lars"]
    assert nell.ask("DELETE", f"{members}/{lars_id}").status_code == 200
    assert nell.ask("DELETE", f"{members}/{lars_id}").status_code == 404
    # Who has judged a version never belongs to its model.
    assert lars.ask("POST", f"{first}/take").status_code == 200
    again = nell.ask("POST", members, {"login": "lars"})
    assert again.status_code == 422
    assert again.json["detail"] == (
        "Lars Ford reviewed or countersigned Sent by two 1, and nobody holds two roles on one case."
    )
    for login, said in (
        ("ada", "Nobody who may submit models signs in as 'ada'."),
        ("nobody", "Nobody who may submit models signs in as 'nobody'."),
        ("mona", "Mona Vale belongs to Sent by two already."),
        ("nell", "Nell Farrow belongs to Sent by two already."),
    ):
        answer = nell.ask("POST", members, {"login": login})
        assert (answer.status_code, answer.json["detail"]) == (422, said)


def test_a_removed_member_sees_it_no_longer(visitor: SignIn) -> None:
    nell, gerd = visitor("nell"), visitor("gerd")
    sent(nell, named("Left by one"), "1")
    members = "/api/models/left-by-one/members"
    (gerd_id,) = [one["id"] for one in nell.ask("POST", members, {"login": "gerd"}).json["members"]]
    theirs = sent(gerd, named("Left by one"), "2")
    assert nell.ask("DELETE", f"{members}/{gerd_id}").status_code == 200
    assert gerd.ask("GET", theirs).status_code == 404
    assert gerd.get("/api/cases")["cases"] == []
    entries = visitor("ada").get("/api/record")["entries"]
    acts = [entry["act"] for entry in entries if entry["subject"] == "Left by one (left-by-one): Gerd Brook"]
    assert acts == ["removed a member of the model", "added a member of the model"]


def test_a_submission_says_which_model_by_its_key(visitor: SignIn) -> None:
    nell, mona = visitor("nell"), visitor("mona")
    sent(mona, named("Of two owners"), "1")
    sent(nell, named("Of two owners"), "1")
    assert mona.ask("POST", "/api/models/of-two-owners/members", {"login": "nell"}).status_code == 200
    refused = submit(nell, named("Of two owners"), version="2")
    assert refused.status_code == 422
    assert refused.json["detail"] == (
        "You belong to 2 models called Of two owners: of-two-owners (of Mona Vale) and of-two-owners-2 (of Nell "
        "Farrow)."
    )
    made = sent(nell, named("Of two owners", key="of-two-owners"), "2")
    assert nell.get(made)["model_key"] == "of-two-owners"
    unknown = submit(nell, named("Of two owners", key="sent-by-nobody"), version="3")
    assert unknown.json["detail"] == "No model that you belong to has the key 'sent-by-nobody'."
    assert unknown.json["where"] == "submission.yaml: model.key"
    renamed = submit(nell, named("Of three owners", key="of-two-owners"), version="3")
    assert (
        renamed.json["detail"] == "The model with the key of-two-owners is called Of two owners, not Of three owners."
    )
    # What was refused left no model behind.
    assert "Of three owners of Nell Farrow" not in keys_of(nell)


def test_first_versions_sent_at_once_are_one_model(visitor: SignIn) -> None:
    windows = [visitor("nell") for _ in range(4)]

    def send(place: int) -> Answer:
        return submit(windows[place], named("Four firsts"), version=str(place))

    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(send, range(4)))
    assert [answer.status_code for answer in answers] == [200] * 4, [answer.text for answer in answers]
    assert len(windows[0].get("/api/models/four-firsts")["versions"]) == 4


def test_models_of_a_name_sent_at_once_have_keys_of_their_own(visitor: SignIn) -> None:
    owners = [visitor("nell"), visitor("mona"), visitor("gerd")]

    def send(one: Visitor) -> Answer:
        return submit(one, named("Three owners"), version="1")

    with ThreadPoolExecutor(3) as pool:
        answers = list(pool.map(send, owners))
    assert [answer.status_code for answer in answers] == [200] * 3, [answer.text for answer in answers]
    keys = {owner.get("/api/cases")["cases"][-1]["model_key"] for owner in owners}
    assert keys == {"three-owners", "three-owners-2", "three-owners-3"}


def test_the_version_in_use_is_the_owners_word_and_an_approved_one(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "in use", ["profile", "holdout", "gap"], named("Said to be in use"))
    nell, iris = visitor("nell"), visitor("iris")
    in_use = f"/api/models/{nell.get(base)['model_key']}/in-use"
    early = nell.ask("PUT", in_use, {"version": "in use"})
    assert early.json["detail"] == "Said to be in use in use is not approved, so it can't be in use."
    answer = iris.ask("POST", f"{base}/decision", proposal())
    assert answer.status_code == 200, answer.text
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    sent(nell, named("Said to be in use", tree=2), "newer")
    assert nell.ask("PUT", in_use, {"version": "none"}).status_code == 404
    assert iris.ask("PUT", in_use, {"version": "in use"}).status_code == 403
    said = nell.ask("PUT", in_use, {"version": "in use"})
    assert (said.status_code, said.json["in_use"], said.json["approved"]) == (200, "in use", ["in use"])
    # The next version is set against it, not against the newest.
    third = sent(nell, named("Said to be in use", tree=5), "third")
    assert nell.get(f"{third}/plan")["plan"]["in_use"]["version"] == "in use"
    assert nell.ask("PUT", in_use, {"version": None}).json["in_use"] is None


def test_who_takes_a_case_while_made_a_member_gets_one_of_both(visitor: SignIn) -> None:
    """Whichever comes first holds; never both, whatever the other had read before."""
    nell = visitor("nell")
    for number in range(4):
        case = sent(nell, named(f"Both at once {number}"), "1")
        key = nell.get(case)["model_key"]

        def take(case: str = case) -> Answer:
            return visitor("lars").ask("POST", f"{case}/take")

        def add(key: str = key) -> Answer:
            return visitor("nell").ask("POST", f"/api/models/{key}/members", {"login": "lars"})

        with ThreadPoolExecutor(2) as pool:
            taken, added = [one.result() for one in (pool.submit(take), pool.submit(add))]
        codes = (taken.status_code, added.status_code)
        assert codes in ((200, 422), (403, 200)), (taken.text, added.text)


def test_a_member_added_or_removed_in_two_windows_at_once(visitor: SignIn) -> None:
    nell = visitor("nell")
    sent(nell, named("Two windows"), "1")
    members = "/api/models/two-windows/members"
    windows = [visitor("nell") for _ in range(4)]

    def add(one: Visitor) -> Answer:
        return one.ask("POST", members, {"login": "gerd"})

    with ThreadPoolExecutor(4) as pool:
        codes = sorted(answer.status_code for answer in pool.map(add, windows))
    assert codes[0] == 200
    assert set(codes[1:]) <= {409, 422}
    (gerd,) = nell.get("/api/models/two-windows")["members"]

    def remove(one: Visitor) -> Answer:
        return one.ask("DELETE", f"{members}/{gerd['id']}")

    with ThreadPoolExecutor(4) as pool:
        codes = sorted(answer.status_code for answer in pool.map(remove, windows))
    assert codes[0] == 200
    assert set(codes[1:]) <= {404, 409}
    assert nell.get("/api/models/two-windows")["members"] == []


def test_models_come_in_pages_and_are_narrowed_by_words(visitor: SignIn, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(inventory, "PAGE", 2)
    gerd = visitor("gerd")
    for name in ("Paged one", "Paged two", "Paged 100% of it"):
        sent(gerd, named(name), "1")
    everything = visitor("iris").get("/api/models?words=paged")
    assert (everything["total"], len(everything["models"])) == (3, 3)
    pages = [visitor("iris").get(f"/api/models?words=PAGED&page={page}") for page in (1, 2, 3)]
    assert [[line["name"] for line in page["models"]] for page in pages] == [
        ["Paged 100% of it", "Paged one"], ["Paged two"], [],
    ]  # fmt: skip
    assert {page["total"] for page in pages} == {3}
    assert [line["name"] for line in gerd.get("/api/models?words=100%25")["models"]] == ["Paged 100% of it"]
    assert gerd.get("/api/models?words=paged-two")["total"] == 1, "by its key"
    assert {line["owner"] for line in visitor("iris").get("/api/models?words=gerd br")["models"]} == {"Gerd Brook"}
    assert visitor("iris").get("/api/models?mine=true")["total"] == 0
    assert gerd.get("/api/models?mine=true&words=paged")["total"] == 3
    assert gerd.ask("GET", "/api/models?page=0").status_code == 422
