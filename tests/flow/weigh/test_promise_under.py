"""What becomes of a promise when another version is made live."""

from __future__ import annotations

from collections.abc import Callable

from tests.flow.review.test_spot_checks import FIELDS, agree, check_all, passed, shown
from tests.office import Office

from jugum.flow.train import training, versions
from jugum.flow.weigh import policies
from jugum.flow.weigh.promise_under import promise_under
from jugum.store.models import ModelVersion

Run = Callable[[], None]


def another(office: Office, run_jobs: Run) -> int:
    version = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    return version


def test_the_promise_is_told_on_the_values_that_both_versions_were_tested_on(trained: Office, run_jobs: Run) -> None:
    version = another(trained, run_jobs)
    assert promise_under(trained.store, version) is None  # no policy
    policies.save_policy(trained.store, trained.analyst, trained.type_id, dict.fromkeys(FIELDS, 0.5), 0.0)
    same = promise_under(trained.store, version)
    assert same is not None
    assert (same.policy, same.live, same.version, same.papers, same.values) == (1, 1, 2, 10, 30)
    assert same.now == same.then  # the same samples, learned from in the same way
    with trained.store.session() as session:
        row = session.get_one(ModelVersion, version)
        row.evidence = [
            {**entry, "right": entry["field"] != "amount"} for entry in row.evidence if entry["field"] != "member"
        ]
    worse = promise_under(trained.store, version)
    assert worse is not None
    assert (worse.values, worse.then.wrong) == (20, worse.then.passing - worse.now.passing + 10)
    assert worse.promise_then.state.value == "broken"
    versions.publish(trained.store, trained.analyst, version, "all the same")
    assert promise_under(trained.store, version) is None  # it is the live one


def test_a_new_live_version_begins_its_spot_checks_anew(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    agree(trained, document)
    assert shown(trained).papers == 1
    versions.publish(trained.store, trained.analyst, another(trained, run_jobs), "better")
    view = shown(trained)
    assert (view.policy, view.papers, view.winnings) == (1, 0, [])
