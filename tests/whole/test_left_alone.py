"""A service that fails is left alone by all processes, tried by one call, and let go on when it is there again."""

from tests.made_feed import ROWS, feed, whole
from tests.whole_rondine import wait_until

BREAKER = {"failures": 3, "during": 0, "first_rest": 3, "max_rest": 3}
QUICK = {"retrying": {"first_pause": 0.05, "max_pause": 0.05, "max_retries": 20}}


def resting(rondine, trees, name):
    """A feed of a service that answers 500, with a run under way that has brought its connection to rest."""
    feed(rondine, trees, name, whole(ROWS), document=QUICK)
    office = rondine.office()
    held = office.connections.get(f"{name}-test")
    office.connections.change(
        f"{name}-test", version=held["version"], document={**held["document"], "breaker": BREAKER}
    )
    trees.status = 500
    run = office.feeds.run(name)
    wait_until(lambda: office.connections.meter(f"{name}-test")["held_until"])
    return run


def test_calls_wait_while_a_service_fails_and_one_is_tried_after_a_rest(rondine, trees):
    run = resting(rondine, trees, "left-alone")
    office = rondine.office()
    assert office.connections.meter("left-alone-test")["held_why"].startswith("3 calls in a row failed (status 500)")
    [obstacle] = [one for one in office.obstacles() if one["name"] == "left-alone-test"]
    assert "one is tried after 3 s" in obstacle["reasons"][0]["message"]
    wait_until(lambda: len(trees.outside.calls) == 4, 20)  # the one that is tried, in vain
    trees.status = 200
    last = rondine.watch(run["id"])
    assert (last["state"], last["completeness"]) == ("done", "complete")
    third, fourth, fifth = trees.outside.moments[2:]
    assert fourth - third > 2.8  # a rest of 3 s, begun when the answer was noted, and then one call only
    assert fifth - fourth > 2.8
    assert office.connections.meter("left-alone-test")["held_until"] is None


def test_a_person_who_tries_is_told_and_lifts_the_rest(rondine, trees):
    run = resting(rondine, trees, "lifted")
    office = rondine.office()
    held = office.connections.get("lifted-test")
    longer = {**BREAKER, "first_rest": 300, "max_rest": 300}
    office.connections.change("lifted-test", version=held["version"], document={**held["document"], "breaker": longer})
    again = office.trials.send(service="lifted", operation="lifted")  # a process that knows of the longer rest
    wait_until(lambda: "one is tried after 5 min" in office.connections.meter("lifted-test")["held_why"], 20)
    refused = office.trials.send(service="lifted", operation="lifted")
    assert "calls in a row failed" in refused["call"]["error"]["message"], (again, refused)
    assert "--lift" in refused["call"]["error"]["hint"]
    trees.status = 200
    rondine.cli("connection", "wait", "lifted-test", "--lift")
    assert rondine.watch(run["id"])["state"] == "done"
    assert office.trials.send(service="lifted", operation="lifted")["call"]["status"] == 200


def test_what_is_no_failure_of_the_service_as_a_whole_counts_for_nothing(rondine, trees):
    feed(rondine, trees, "missing-trees", whole(ROWS), document=QUICK)
    office = rondine.office()
    held = office.connections.get("missing-trees-test")
    office.connections.change(
        "missing-trees-test", version=held["version"], document={**held["document"], "breaker": BREAKER}
    )
    trees.status = 404
    for _ in range(5):
        assert office.trials.send(service="missing-trees", operation="missing-trees")["call"]["status"] == 404
    assert office.connections.meter("missing-trees-test")["held_until"] is None
