"""Failures of a service that pass by themselves, and runs that go on where they failed."""

import time

import pytest
from tests.whole_rondine import wait_until

from rondine.standins.trees import TREES
from rondine_client import RondineProblem

QUICK = {"retrying": {"first_pause": 0.05, "max_pause": 0.2}}


@pytest.fixture
def register(rondine):
    yield rondine
    rondine.control()


def feed(register, name, **retrying):
    register.feed(name, "/v1/pages/offset", paging={"type": "offset", "total_header": "X-Total-Count"}, limit=400)
    office = register.office()
    held = office.feeds.get(name)
    policy = {**QUICK["retrying"], **retrying}
    office.feeds.change(name, version=held["version"], document={"parallel": 1, "retrying": policy})
    return name


def test_two_failures_and_then_a_response_are_one_success_and_three_calls(register):
    name = feed(register, "passing")
    register.control(fail_next=2)
    run = register.finish(name)
    assert (run["state"], run["completeness"], run["counts"][0]["created"]) == ("done", "complete", TREES)
    calls = list(register.office().runs.calls(run["id"]))
    assert [call["status"] for call in calls] == [503, 503] + [200] * 7
    assert [call["purpose"] for call in calls[:3]] == ["failed, sent again", "failed, sent again", ""]
    register.control(drop_next=2)  # what is sent on a connection that was left open is sent anew at once
    run = register.finish(name)
    assert run["state"] == "done"
    first = next(register.office().runs.calls(run["id"]))
    assert first["status"] is None and first["purpose"] == "failed, sent again"
    assert first["error"]["message"] == "the service closed the connection without a response"


def test_what_does_not_pass_ends_the_run_with_the_last_failure_after_as_many_tries_as_were_set(register):
    name = feed(register, "lasting", max_retries=2)
    register.control(status=500)
    run = register.finish(name)
    assert run["state"] == "failed" and "500" in run["error"]["message"]
    assert len(list(register.office().runs.calls(run["id"]))) == 3
    name = feed(register, "budgeted", max_retries=9, max_retries_of_run=4) if register.control() is None else ""
    register.control(every=2)
    run = register.finish(name)
    assert run["state"] == "failed"
    assert sum(call["status"] == 500 for call in register.office().runs.calls(run["id"])) == 5


@pytest.mark.parametrize("form", ["seconds", "date"])
def test_a_service_that_names_a_time_to_come_back_is_obeyed(register, form):
    name = feed(register, f"busy-{form}")
    register.control(busy_next=2, busy_as=form)
    began = time.monotonic()
    run = register.finish(name)
    assert (run["state"], run["completeness"]) == ("done", "complete") and time.monotonic() - began >= 2
    calls = list(register.office().runs.calls(run["id"]))
    assert [(call["status"], call["purpose"]) for call in calls[:3]] == [
        (429, "told to wait"),
        (429, "told to wait"),
        (200, ""),
    ]
    assert calls[2]["timings"]["waited"] > 100  # for the connection's limits, as all its calls do


def test_a_trial_shows_the_first_failure(register):
    name = feed(register, "tried-once")
    register.control(fail_next=1)
    trial = register.office().trials.send(service=name, operation=name)
    assert trial["call"]["status"] == 503


def test_a_run_that_waits_for_a_service_is_cancelled_within_a_second_or_two(register):
    name = feed(register, "patiently", first_pause=600, max_pause=600)
    register.control(status=500)
    office = register.office()
    run = office.feeds.run(name)["id"]
    wait_until(lambda: office.runs.get(run)["state"] == "running", 30)
    time.sleep(1)
    office.runs.cancel(run)
    register.control()
    began = time.monotonic()
    again = register.finish(name)  # the worker is free for the next
    assert again["state"] == "done" and time.monotonic() - began < 300


def test_a_failed_run_goes_on_behind_what_it_kept(register):
    name = feed(register, "going-on", max_retries=0)
    register.control(fail_from=1200)
    run = register.finish(name)
    assert (run["state"], run["counts"][0]["created"]) == ("failed", 1200)
    register.control()
    office = register.office()
    calls = len(list(office.runs.calls(run["id"])))
    assert office.runs.go_on(run["id"])["state"] in ("queued", "running")  # a worker may have it already
    again = register.watch(run["id"])
    assert (again["id"], again["state"], again["completeness"]) == (run["id"], "done", "complete")
    assert again["counts"][0]["created"] == again["counts"][0]["rows"] == TREES
    (remark,) = [remark for remark in again["remarks"] if remark["kind"] == "went_on"]
    assert remark["message"].startswith("failed before (") and "500" in remark["message"]
    assert len(list(office.runs.calls(run["id"]))) == calls + 4  # the pages before it were not asked for twice
    for wrong, words in ((run["id"], "is done"), (register.finish(name)["id"], "is done")):
        with pytest.raises(RondineProblem, match=words):
            office.runs.go_on(wrong)


def test_a_run_does_not_go_on_over_what_a_later_one_kept(register):
    name = feed(register, "overtaken", max_retries=0)
    register.control(fail_from=800)
    run = register.finish(name)
    register.control()
    register.finish(name)
    refused = register.cli("run", "go-on", str(run["id"]), check=False)
    assert refused.returncode == 1 and "of the same feed was later" in refused.stderr
    nothing = feed(register, "nothing-kept", max_retries=0)
    register.control(status=500)
    run = register.finish(nothing)
    refused = register.cli("run", "go-on", str(run["id"]), check=False)
    register.control()
    assert refused.returncode == 1 and "kept no page" in refused.stderr
