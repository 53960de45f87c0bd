"""What comes next in a flow: each rule, played with made-up services by a clock of its own."""

import heapq
from datetime import UTC, datetime, timedelta

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import InputError
from rondine.core.flow.advancing import advance
from rondine.core.flow.document import FlowDocument
from rondine.core.flow.history import Answered, AnyEvent, Begun, Cancelled, History, Settled, WentOn, failed
from rondine.core.flow.replaying import replay
from rondine.core.flow.stepping import recorded_before
from rondine.core.settings import load

START = datetime(2031, 4, 1, 8, 0, tzinfo=UTC)
GOOD = {"outcome": "good"}
REFUSED = failed({"kind": "service_failed", "message": "the counter is closed"})
PASSING = failed({"kind": "unreachable", "message": "nobody answers", "may_pass": True})


class Play:
    """A run of a flow. answers: what a task comes to, and after how many seconds: a list of outcomes for its attempts,
    or one for all; None for no answer. With each step the history is made anew of its events, written and read, as
    after a crash."""

    def __init__(self, steps, answers=None, *, delays=None, inputs=None, role="builder", caller="", **document):
        self.document = load(FlowDocument, {"steps": steps, **document})
        self.answers, self.delays = answers or {}, delays or {}
        self.events: list[AnyEvent] = [Begun(at=START, inputs=inputs or {}, role=role, caller=caller)]
        self.now = START
        self.asked: list[str] = []
        self.given: dict[str, dict] = {}
        self.stopped: list[str] = []
        self.coming: list[tuple[datetime, int, str, dict]] = []

    def look(self):
        stored = msgspec.json.decode(msgspec.json.encode(self.events), type=list[AnyEvent])
        self.next = advance(self.document, History.of(stored), self.now)
        self.events += self.next.events
        self.stopped += self.next.stop
        self.coming = [one for one in self.coming if one[2] not in self.next.stop]
        heapq.heapify(self.coming)
        for task in self.next.tasks:
            assert task.name not in self.asked, f"{task.name} is asked twice"
            self.asked.append(task.name)
            self.given[task.name] = dict(task.given)
            outcome = self.answer_of(task.name)
            if outcome is not None:
                at = self.now + timedelta(seconds=self.delay_of(task.name))
                heapq.heappush(self.coming, (at, len(self.asked), task.name, outcome))
        return self.next

    def answer_of(self, name):
        root = name.partition("#")[0] if "/" not in name.partition("#")[2] else name
        found = self.answers.get(name, self.answers.get(root, GOOD))
        return found(name) if callable(found) else found

    def delay_of(self, name):
        return self.delays.get(name, 0.1)

    def on(self, most=500):
        """Until it ends, or waits for something that does not come by itself."""
        for _ in range(most):
            if self.look().end is not None:
                assert advance(self.document, History.of(self.events), self.now).end == self.next.end, "again the same"
                return self.next.end
            moments = [self.next.wake] if self.next.wake else []
            moments += [self.coming[0][0]] if self.coming else []
            if not moments:
                return None
            self.now = max(self.now, min(moments))
            if self.coming and self.coming[0][0] <= self.now:
                _, _, task, outcome = heapq.heappop(self.coming)
                self.events.append(Answered(at=self.now, task=task, outcome=outcome))
        raise AssertionError("it does not end")

    def answer(self, task, outcome):
        self.events.append(Answered(at=self.now, task=task, outcome=outcome))
        return self.on()

    @property
    def seconds(self):
        return (self.now - START).total_seconds()


def ask(name, operation="", **more):
    return {"type": "ask", "name": name, "ask": {"operation": operation or name}, **more}


def together(name, *branches, **more):
    return {"type": "ask", "name": name, "together": [{"name": one, "operation": one} for one in branches], **more}


def end(**reply):
    return {"type": "end", "name": "end", "reply": reply}


MEMBERS = [{"name": "it", "type": "json"}, {"name": "why", "type": "json"}]


def test_a_step_is_given_what_an_earlier_one_answered():
    find = {"type": "ask", "name": "tree", "ask": {"operation": "find", "inputs": {"number": {"input": "number"}}}}
    place = {"result": "tree", "at": "body.place.district"}
    plan = {"type": "ask", "name": "plan", "ask": {"operation": "plan", "inputs": {"where": place}}}
    play = Play(
        [find, plan, end(it={"result": "plan", "at": "body"})],
        {"tree": {**GOOD, "body": {"place": {"district": "Quay"}}}, "plan": {**GOOD, "body": {"day": 7}}},
        inputs={"number": "OLM-00014"},
        reply=MEMBERS,
    )
    assert play.on().reply == {"it": {"day": 7}}
    assert play.given == {"tree": {"number": "OLM-00014"}, "plan": {"where": "Quay"}}


def test_a_failure_stops_the_rest_with_its_cause():
    play = Play([ask("tree"), ask("plan")], {"tree": REFUSED})
    assert play.on().failure == {"kind": "service_failed", "message": "the counter is closed", "step": "tree"}
    assert play.asked == ["tree"]


def test_several_at_once_take_as_long_as_the_slowest():
    play = Play([together("papers", "a", "b", "c")], delays={f"papers/{one}": 1 for one in "abc"})
    assert play.on().reply == {}
    assert play.seconds == 1


def test_what_succeeds_is_kept_and_the_rest_named_when_the_time_of_the_group_is_over():
    """Of five, one hangs and one refuses."""
    names = ["tree", "soil", "lots", "permits", "crew"]
    play = Play(
        [
            together("papers", *names, success={"type": "what_succeeds"}, time_limit=5),
            end(it={"result": "papers", "at": {"jsonpath": "$.parts[?@.outcome == 'good'].body"}, "all": True},
                why={"result": "papers", "at": "failures"}),
        ],
        {f"papers/{one}": {**GOOD, "body": one} for one in names} | {"papers/soil": None, "papers/permits": REFUSED},
        reply=MEMBERS,
    )  # fmt: skip
    reply = play.on().reply
    assert reply["it"] == ["tree", "lots", "crew"]
    assert [(one["part"], one["kind"]) for one in reply["why"]] == [
        ("soil", "time_over"),
        ("permits", "service_failed"),
    ]
    assert play.seconds == 5 and play.stopped == ["papers/soil"]


@pytest.mark.parametrize(
    ("success", "bad", "kind"),
    [
        ({"type": "all"}, "b", "service_failed"),
        ({"type": "all"}, "", None),
        ({"type": "at_least", "count": 2}, "b", None),
        ({"type": "at_least", "count": 2}, "ab", "too_few_succeeded"),
        ({"type": "first"}, "ab", None),
        ({"type": "first"}, "abc", "too_few_succeeded"),
        ({"type": "what_succeeds"}, "abc", None),
    ],
)
def test_several_have_succeeded_as_their_rule_says(success, bad, kind):
    play = Play([together("papers", *"abc", success=success)], {f"papers/{one}": REFUSED for one in bad})
    found = play.on()
    assert (found.failure or {}).get("kind") == kind


def test_the_first_success_stops_the_others_and_a_late_answer_does_not_count():
    play = Play(
        [together("papers", "slow", "quick", success={"type": "first"}), ask("next")],
        {"papers/slow": {**GOOD, "body": 1}, "papers/quick": {**GOOD, "body": 2}, "next": None},
        delays={"papers/slow": 9},
    )
    assert play.on() is None
    assert play.stopped == ["papers/slow"] and play.asked[-1] == "next"
    assert [*play.next.results["papers"]["parts"]] == ["quick"]
    play.answer("papers/slow", {**GOOD, "body": 1})
    assert [*play.next.results["papers"]["parts"]] == ["quick"]


def test_one_is_asked_for_each_of_many_some_at_a_time_and_the_order_stays():
    numbers = [f"T-{number}" for number in range(12)]
    step = {
        "type": "ask",
        "name": "trees",
        "each": {
            "of": {"input": "numbers"},
            "ask": {"operation": "find", "inputs": {"number": {"item": True}, "row": {"position": True}}},
            "at_once": 4,
        },
    }
    most, play = 0, None

    def answer(name):
        nonlocal most
        most = max(most, len(play.coming) + 1)
        return {**GOOD, "body": play.given[name]["number"]}

    bodies = {"result": "trees", "at": {"jsonpath": "$.parts[*].body"}, "all": True}
    play = Play(
        [step, end(it=bodies)],
        {f"trees/{number}": answer for number in range(12)},
        delays={f"trees/{number}": 1 + (number * 7 % 5) for number in range(12)},
        inputs={"numbers": numbers},
        reply=MEMBERS,
    )
    assert play.on().reply == {"it": numbers}
    assert most == 4 and play.given["trees/3"] == {"number": "T-3", "row": 3}


def test_records_of_several_answers_are_gathered_with_where_each_came_from():
    papers = {"records": {"paper": [{"title": "survey"}], "other": [{}]}}
    play = Play(
        [
            together("papers", "a", "b", gather={"record_type": "paper", "origin": "source"}),
            end(it={"result": "papers", "at": "records"}),
        ],
        {"papers/a": GOOD | papers, "papers/b": GOOD | {"records": {"paper": [{"title": "permit"}, {"title": "x"}]}}},
        reply=MEMBERS,
    )
    assert play.on().reply["it"] == [
        {"title": "survey", "source": "a"},
        {"title": "permit", "source": "b"},
        {"title": "x", "source": "b"},
    ]


def test_lists_are_joined_one_after_the_other():
    lists = {"a": GOOD | {"body": [1, 2]}, "b": GOOD | {"body": {"more": [], "one": 3}}}
    sources = [{"result": "a", "at": "body"}, {"result": "b", "at": "body.more"}, {"result": "b", "at": "body.one"}]
    play = Play(
        [ask("a"), ask("b"), end(it={"joined": [*sources, {"result": "b", "at": "body.none"}]})], lists, reply=MEMBERS
    )
    assert play.on().reply["it"] == [1, 2, 3]


def test_a_failure_is_gone_on_without_or_replaced_and_is_data_for_both():
    other = {"type": "ask", "name": "asked-by-hand", "ask": {"operation": "hand", "inputs": {"why": {"failure": True,
        "at": "message"}}}}  # fmt: skip
    play = Play(
        [
            ask("soil", on_failure=[{"type": "go_on", "kinds": ["service_failed"]}]),
            ask("permits", on_failure=[{"type": "go_on", "kinds": ["time_over"]}, {"type": "instead", "steps": [other]}]),
            end(why={"result": "soil", "at": "failure.message"}, it={"result": "asked-by-hand", "at": "body"}),
        ],
        {"soil": REFUSED, "permits": REFUSED, "asked-by-hand": {**GOOD, "body": 3}},
        reply=MEMBERS,
    )  # fmt: skip
    assert play.on().reply == {"why": "the counter is closed", "it": 3}
    assert play.given["asked-by-hand"] == {"why": "the counter is closed"}


def test_what_may_pass_is_done_again_with_longer_pauses_and_then_the_next_rule_counts():
    rules = [{"type": "repeat", "times": 3, "pause": 1, "factor": 2}, {"type": "go_on"}]
    play = Play([ask("soil", on_failure=rules)], {"soil": PASSING})
    assert play.on().reply == {}
    assert play.asked == ["soil", "soil#2", "soil#3", "soil#4"]
    assert play.seconds == pytest.approx(1 + 2 + 4 + 4 * 0.1)
    good = Play([ask("soil", on_failure=rules)], {"soil": PASSING, "soil#2": {**GOOD, "body": 1}})
    assert good.on().reply == {} and good.asked == ["soil", "soil#2"]
    other = Play([ask("soil", on_failure=rules[:1])], {"soil": REFUSED})
    assert other.on().failure["kind"] == "service_failed" and other.asked == ["soil"], "it does not pass by itself"


def test_a_step_and_a_flow_end_when_their_time_is_over_with_all_repetitions():
    rules = [{"type": "repeat", "times": 100, "pause": 1, "factor": 1}]
    play = Play([ask("soil", time_limit=3.5, on_failure=rules)], {"soil": PASSING})
    assert play.on().failure["kind"] == "time_over" and play.seconds == 3.5
    whole = Play([ask("soil"), ask("crew")], {"crew": None}, time_limit=20)
    found = whole.on()
    assert (found.failure["kind"], whole.seconds, whole.stopped) == ("time_over", 20, ["crew"])


def test_what_was_done_is_undone_in_reverse_when_the_flow_fails_later():
    def plan(name):
        undo = {"operation": f"un{name}", "inputs": {"number": {"undone": True, "at": "body"}}}
        return {"type": "ask", "name": name, "ask": {"operation": name, "undo": undo}}

    play = Play(
        [plan("lot"), plan("day"), plan("permit"), ask("crew")],
        {"lot": {**GOOD, "body": 1}, "day": {**GOOD, "body": 2}, "permit": {**GOOD, "body": 3}, "crew": REFUSED}
        | {"day~undo": REFUSED},
    )
    found = play.on()
    assert found.failure["step"] == "crew"
    assert play.asked[4:] == ["permit~undo", "day~undo", "lot~undo"] and play.given["lot~undo"] == {"number": 1}
    assert found.undone == ["permit", "lot"] and found.not_undone["day"]["kind"] == "service_failed"
    good = Play([plan("lot"), plan("day")])
    assert good.on().reply == {} and good.asked == ["lot", "day"]


@pytest.mark.parametrize("undoes", [True, False])
def test_a_cancelled_run_stops_what_is_under_way_and_undoes_what_was_done_if_that_is_wanted(undoes):
    lot = {"type": "ask", "name": "lot", "ask": {"operation": "lot", "undo": {"operation": "unlot"}}}
    play = Play([lot, together("papers", "a", "b")], {"papers/a": None, "papers/b": None})
    assert play.on() is None
    play.events.append(Cancelled(at=play.now, by="mira", undoes=undoes))
    found = play.on()
    assert found.failure == {"kind": "cancelled", "message": "the run was cancelled by mira"}
    assert sorted(play.stopped) == ["papers/a", "papers/b"]
    assert found.undone == (["lot"] if undoes else [])


def test_the_first_way_whose_conditions_hold_is_gone_and_everything_else_goes_the_other_one():
    def way(name, **condition):
        return {"when": [{"from": {"input": "it", "at": condition.pop("at", "")}, **condition}], "steps": [ask(name)]}

    ways = [
        way("many", at="trees", **{"is": "of_kind", "value": "array"}),
        way("tall", at="height", **{"is": "more", "value": 20}),
        way("single", at="tree", **{"is": "present"}),
    ]
    step = {"type": "decide", "name": "what", "ways": ways, "otherwise": [ask("unknown")]}
    for it, name in (
        ({"trees": [1]}, "many"),
        ({"height": 31, "tree": 1}, "tall"),
        ({"tree": "", "height": 3}, "unknown"),
        ({"tree": {"number": 1}}, "single"),
        ({"TREES": 2}, "unknown"),
    ):
        play = Play([step], inputs={"it": it})
        play.on()
        assert play.asked == [name], it


def test_a_flow_decides_by_the_kind_of_a_failure():
    kind = {"from": {"result": "soil", "at": "failure.kind"}, "value": "unreachable"}
    step = {"type": "decide", "name": "why", "ways": [{"when": [kind], "steps": [ask("later")]}]}
    for outcome, asked in ((PASSING, ["soil", "later"]), (REFUSED, ["soil"]), (GOOD, ["soil"])):
        play = Play([ask("soil", on_failure=[{"type": "go_on"}]), step], {"soil": outcome})
        play.on()
        assert play.asked == asked


def test_it_pauses_for_a_time_until_a_moment_for_a_callback_or_for_a_yes():
    wait = {"type": "pause", "name": "dry", "seconds": 3600}
    moment = {"type": "pause", "name": "till", "until": {"value": "2031-04-01T12:00:00+02:00"}}
    match = [{"at": "order", "equals": {"input": "order"}}]
    told = {"type": "pause", "name": "told", "callback": {"webhook": "lab", "matches": match}}
    yes = {"type": "pause", "name": "yes", "time_limit": 60, "person": {"question": "Fell it?", "shows": {"tree": {"input":
        "order"}}}}  # fmt: skip
    play = Play(
        [wait, moment, told, yes, end(it={"result": "yes", "at": "agreed"})], inputs={"order": 7}, reply=MEMBERS
    )
    assert play.on() is None and play.seconds == 2 * 3600
    [waiting] = play.next.waiting
    assert (waiting.kind, [*waiting.matches]) == ("callback", [("order", 7)])
    assert play.look().tasks == [] and play.events[-1].task == "told", "the pause is written down once"
    play.events.append(Answered(at=play.now, task="told", outcome={**GOOD, "body": {}}))
    play.look()
    [waiting] = play.next.waiting
    assert (waiting.kind, waiting.shows) == ("person", {"tree": 7})
    assert waiting.until == play.now + timedelta(seconds=60)
    assert play.answer("yes", {**GOOD, "agreed": False, "by": "ada"}).reply == {"it": False}


def test_a_yes_that_comes_too_late_does_not_count():
    yes = {"type": "pause", "name": "yes", "time_limit": 60, "person": {"question": "Fell it?"}}
    play = Play([yes, ask("fell")])
    found = play.on()
    assert (found.failure["kind"], play.seconds) == ("time_over", 60)
    assert play.answer("yes", {**GOOD, "agreed": True}) == found and play.asked == []


@pytest.mark.parametrize(("how", "asked"), [("done", ["fell", "next"]), ("failed", ["fell"]), ("again", ["fell", "fell!2",
    "next"])])  # fmt: skip
def test_what_may_have_happened_waits_for_somebody_who_knows(how, asked):
    play = Play([ask("fell"), ask("next")], {"fell": failed({"kind": "outcome_unknown", "message": "it broke off"})})
    assert play.on() is None
    [waiting] = play.next.waiting
    assert (waiting.task, waiting.kind) == ("fell", "doubt") and play.asked == ["fell"]
    play.events.append(Settled(at=play.now, task="fell", how=how))
    found = play.on()
    assert play.asked == asked and (found.failure is not None) == (how == "failed")


def test_a_rule_for_unknown_outcomes_asks_nobody():
    play = Play(
        [ask("fell", on_failure=[{"type": "go_on", "kinds": ["outcome_unknown"]}]), ask("next")],
        {"fell": failed({"kind": "outcome_unknown", "message": "it broke off"})},
    )
    assert play.on().reply == {} and play.asked == ["fell", "next"]


def test_a_step_is_caused_only_by_those_who_may_and_in_the_right_state():
    state = [{"from": {"input": "state"}, "value": "surveyed"}]
    step = ask("fell", only={"roles": ["administrator", "application"], "when": state})
    for role, now, kind in (
        ("administrator", "surveyed", None),
        ("application", "surveyed", None),
        ("builder", "surveyed", "not_allowed"),
        ("administrator", "planted", "not_allowed"),
    ):
        found = Play([step], role=role, inputs={"state": now}).on()
        assert (found.failure or {}).get("kind") == kind


def test_values_are_kept_with_their_type_and_a_wrong_one_fails_its_step():
    keep = [{"name": "girth", "type": "decimal", "from": {"result": "tree", "at": "body.girth"}, "required": True}]
    steps = [ask("tree", keep=keep), end(it={"kept": "girth"})]
    for body, reply, kind in (
        ({"girth": "1.250"}, {"it": 1.25}, None),
        ({"girth": "thick"}, None, "value_does_not_fit"),
        ({}, None, "value_does_not_fit"),
    ):
        found = Play(steps, {"tree": {**GOOD, "body": body}}, reply=MEMBERS).on()
        assert (found.reply and {"it": float(found.reply["it"])}) == reply
        assert (found.failure or {}).get("kind") == kind


def test_a_reply_that_does_not_fit_its_type_is_a_failure_and_the_flow_is_undone():
    lot = {"type": "ask", "name": "lot", "ask": {"operation": "lot", "undo": {"operation": "unlot"}}}
    members = [{"name": "day", "type": "date", "required": True}]
    for given_by_end in ({"day": {"value": "soon"}}, {}):
        play = Play([lot, end(**given_by_end)], reply=members)
        found = play.on()
        assert found.failure["kind"] == "value_does_not_fit" and found.undone == ["lot"]
    assert Play([lot, end(day={"value": "2031-04-09"})], reply=members).on().reply == {"day": "2031-04-09"}


def test_a_flow_fails_with_the_reason_that_it_gives():
    step = {"type": "end", "name": "no", "fail": {"input": "why"}}
    assert Play([step], inputs={"why": "no such tree"}).on().failure == {
        "kind": "flow_failed",
        "message": "no such tree",
        "step": "no",
    }


def test_two_runs_see_nothing_of_each_other():
    steps = [ask("tree", keep=[{"name": "it", "type": "json", "from": {"result": "tree", "at": "body"}}]),
             end(it={"kept": "it"})]  # fmt: skip
    first = Play(steps, {"tree": {**GOOD, "body": 1}}, reply=MEMBERS).on()
    second = Play(steps, {"tree": GOOD}, reply=MEMBERS).on()
    assert (first.reply, second.reply) == ({"it": 1}, {})


@pytest.mark.parametrize(
    ("step", "where"),
    [
        ({"type": "asks", "name": "x"}, "/steps/0/type"),
        ({"type": "ask", "name": "x"}, "/steps/0"),
        ({"type": "pause", "name": "x"}, "/steps/0"),
        ({"type": "end", "name": "x", "reply": {}, "fail": {"value": "no"}}, "/steps/0"),
        ({"type": "ask", "name": "x", "ask": {"operation": "a", "flow": "b"}}, "/steps/0/ask"),
        ({"type": "end", "name": "x", "reply": {"it": {"inputs": "a"}}}, "/steps/0/reply/it/inputs"),
        ({"type": "end", "name": "x", "reply": {"it": {"caller": True, "at": "a"}}}, "/steps/0/reply/it"),
    ],
)
def test_a_wrong_shape_says_where(step, where):
    with pytest.raises(InputError) as caught:
        load(FlowDocument, {"steps": [step]})
    assert caught.value.where == where


# --- made-up plans with made-up outcomes


@st.composite
def plans(draw):
    """Steps of all kinds within each other, each with a name of its own."""
    count = 0

    def name():
        nonlocal count
        count += 1
        return f"s{count}"

    def asked():
        undo = draw(st.booleans())
        return {"operation": "o", **({"undo": {"operation": "u", "inputs": {"it": {"undone": True}}}} if undo else {})}

    def rules(depth):
        kinds = draw(st.lists(st.sampled_from(["repeat", "go_on", "instead", "some"]), max_size=2))
        made = {
            "repeat": {"type": "repeat", "times": 2, "pause": 0.5},
            "go_on": {"type": "go_on"},
            "some": {"type": "go_on", "kinds": ["service_failed"]},
        }
        return [{"type": "instead", "steps": steps(depth + 1)} if one == "instead" else made[one] for one in kinds]

    def one(depth):
        kind = draw(st.sampled_from(["ask", "together", "each", "decide", "pause", "end", "ask", "together"]))
        failing = {"on_failure": rules(depth) if depth < 2 else []}
        if draw(st.booleans()):
            failing["time_limit"] = draw(st.sampled_from([0.3, 1, 5]))
        success = draw(st.sampled_from([{"type": "all"}, {"type": "what_succeeds"}, {"type": "first"},
            {"type": "at_least", "count": 2}]))  # fmt: skip
        if kind == "ask":
            return {"type": "ask", "name": name(), "ask": asked(), **failing}
        if kind == "together":
            branches = [{"name": one, **asked()} for one in "abc"[: draw(st.integers(1, 3))]]
            return {"type": "ask", "name": name(), "together": branches, "success": success, **failing}
        if kind == "each":
            each = {"of": {"input": "many"}, "ask": asked(), "at_once": draw(st.integers(1, 3))}
            return {"type": "ask", "name": name(), "each": each, "success": success, **failing}
        if kind == "pause":
            return {"type": "pause", "name": name(), "seconds": draw(st.sampled_from([0.1, 2])), **failing}
        if kind == "decide" and depth < 2:
            when = [{"from": {"input": "many"}, "is": draw(st.sampled_from(["present", "absent"]))}]
            ways = [{"when": when, "steps": steps(depth + 1)}]
            return {"type": "decide", "name": name(), "ways": ways, "otherwise": steps(depth + 1)}
        if kind == "end" and draw(st.integers(0, 3)) == 0:
            return {"type": "end", "name": name(), **draw(st.sampled_from([{"reply": {}}, {"fail": {"value": "no"}}]))}
        return {"type": "ask", "name": name(), "ask": asked(), **failing}

    def steps(depth):
        return [one(depth) for _ in range(draw(st.integers(1, 3 if depth else 4)))]

    return steps(0)


OUTCOMES = st.sampled_from([GOOD, GOOD, GOOD, REFUSED, PASSING, {**GOOD, "body": 1}])


@given(plans(), st.lists(st.tuples(OUTCOMES, st.sampled_from([0.05, 0.2, 0.7, 3])), min_size=1, max_size=7), st.data())
def test_any_plan_ends_asks_nothing_twice_and_goes_on_as_before_after_each_crash(steps, outcomes, data):
    chosen: dict[str, tuple[dict, float]] = {}

    def drawn(name):
        return chosen.setdefault(name, outcomes[len(chosen) % len(outcomes)])

    limit = data.draw(st.sampled_from([None, 4]))
    play = Play(steps, inputs={"many": [1, 2, 3]}, **({"time_limit": limit} if limit else {}))
    play.answer_of, play.delay_of = lambda name: drawn(name)[0], lambda name: drawn(name)[1]
    end = play.on()
    assert end is not None
    history = History.of(play.events)
    assert history.open() == [], "nothing is left running"
    if limit and end.failure and end.failure["kind"] == "time_over" and "step" not in end.failure:
        assert "" in history.over
    undos = [task for task in play.asked if task.endswith("~undo")]
    assert not undos or end.failure is not None
    assert len(end.undone) + len(end.not_undone) == len(undos)
    for at, event in enumerate(play.events, 1):
        history = History.of(play.events[:at])
        begun = set(history.begun)
        found = advance(play.document, history, event.at)
        assert begun.isdisjoint(task.name for task in found.tasks), "what was begun before a crash is waited for"


def test_what_is_undone_begins_no_pause_before_a_repetition_anew():
    undo = {"operation": "unplan", "inputs": {"it": {"undone": True}}}
    step = {
        "type": "ask",
        "name": "plans",
        "each": {"of": {"input": "many"}, "ask": {"operation": "plan", "undo": undo}},
        "success": {"type": "at_least", "count": 2},
        "on_failure": [{"type": "repeat", "times": 1, "pause": 10, "kinds": ["too_few_succeeded"]}],
    }
    play = Play([step], inputs={"many": [1]})
    found = play.on()
    assert found.failure["kind"] == "too_few_succeeded"
    assert play.asked == ["plans/0", "plans#2/0", "plans#2/0~undo", "plans/0~undo"]
    assert found.undone == ["plans#2/0", "plans/0"]
    assert play.seconds == pytest.approx(10 + 4 * 0.1)


STEPS = [
    ask("tree"),
    {
        "type": "decide",
        "name": "which",
        "ways": [{"when": [{"from": {"result": "tree", "at": "outcome"}, "value": "good"}], "steps": [ask("soil")]}],
    },
    together("papers", "care", "lots"),
    end(it={"result": "soil"}),
]


def test_a_run_stops_before_each_step_with_what_it_would_be_given():
    play = Play(
        [ask("tree"), *STEPS[1:]], inputs={"number": "OLM-1"}, reply=MEMBERS, answers={"soil": {**GOOD, "acid": 4}}
    )
    play.events[0] = msgspec.structs.replace(play.events[0], stop_before="*")
    seen = []
    while play.on() is None:
        [waiting] = play.next.waiting
        assert waiting.kind == "step"
        seen.append((waiting.step, list(play.asked)))
        play.events.append(WentOn(at=play.now, step=waiting.step, stop_before="*"))
    assert seen == [
        ("tree", []),
        ("which", ["tree"]),
        ("soil", ["tree"]),
        ("papers", ["tree", "soil"]),
        ("end", ["tree", "soil", "papers/care", "papers/lots"]),
    ]
    assert waiting.shows == {"it": {**GOOD, "acid": 4}} and play.next.end.reply == {"it": {**GOOD, "acid": 4}}


def test_a_run_stops_before_one_step_and_goes_on_to_another_or_to_the_end():
    play = Play(STEPS, reply=MEMBERS)
    play.events[0] = msgspec.structs.replace(play.events[0], stop_before="soil")
    assert play.on() is None and play.next.waiting[0].step == "soil" and play.asked == ["tree"]
    play.events.append(WentOn(at=play.now, step="soil", stop_before="end"))
    assert play.on() is None and play.next.waiting[0].step == "end"
    play.events.append(WentOn(at=play.now, step="end"))
    assert play.on().reply == {"it": GOOD}


def test_a_run_goes_on_from_a_step_with_what_another_recorded_and_takes_nothing_of_it_back():
    undo = {"operation": "cut", "undo": {"operation": "plant"}}
    steps = [{"type": "ask", "name": "cut", "ask": undo}, ask("soil"), ask("lots"), end(it={"result": "soil"})]
    first = Play(steps, {}, reply=MEMBERS)
    assert first.on().reply == {"it": GOOD}
    start = Begun(at=START, inputs={})
    second = Play(steps, {"lots": REFUSED}, reply=MEMBERS)
    second.events = [start, *recorded_before(second.document, start, first.events, 41, "soil")]
    end_ = second.on()
    assert second.asked == ["soil", "lots"] and (end_.undone, end_.failure["step"]) == ([], "lots")
    assert History.of(second.events).recorded == {"cut": 41}
    third = Play(steps, {"soil": REFUSED}, reply=MEMBERS)
    assert third.on().undone == ["cut"]
    with pytest.raises(InputError, match='"lots" is not reached') as caught:
        recorded_before(second.document, start, third.events, 43, "lots")
    assert 'go on from "soil"' in caught.value.hint
    with pytest.raises(InputError, match='run 43 took back "cut"') as caught:
        recorded_before(second.document, start, third.events, 43, "soil")
    assert 'go on from "cut"' in caught.value.hint
    again = recorded_before(second.document, start, third.events, 43, "cut")
    assert again == []
    with pytest.raises(InputError, match='no step "loot"'):
        recorded_before(second.document, start, first.events, 41, "loot")


def test_the_time_that_was_over_for_a_group_is_recorded_too():
    steps = [
        together("papers", "a", "b", success={"type": "what_succeeds"}, time_limit=5),
        end(it={"result": "papers", "at": "failed"}),
    ]
    first = Play(steps, {"papers/b": None}, reply=MEMBERS)
    assert first.on().reply == {"it": 1}
    start = Begun(at=START + timedelta(days=1), inputs={})
    second = Play(steps, reply=MEMBERS)
    second.now = start.at
    second.events = [start, *recorded_before(second.document, start, first.events, 41, "end")]
    assert second.on().reply == {"it": 1} and second.asked == []


def test_a_recorded_run_is_played_again_and_asks_for_the_same():
    steps = [
        ask("tree", on_failure=[{"type": "repeat", "pause": 60}]),
        together("papers", "soil", "lots", success={"type": "first"}),
        {"type": "pause", "name": "nap", "seconds": 3600},
        {"type": "pause", "name": "look", "person": {"question": "Enough?"}},
        {**ask("fell"), "ask": {"operation": "fell", "inputs": {"by": {"result": "look", "at": "by"}}}},
        end(it={"result": "papers", "at": "parts.lots.n"}),
    ]
    answers = {"tree": PASSING, "tree#2": GOOD, "papers/lots": {**GOOD, "n": 7}, "papers/soil": None}
    play = Play(steps, answers, reply=MEMBERS)
    assert play.on() is None
    first = play.answer("look", {**GOOD, "agreed": True, "by": "odo"})
    history = History.of(play.events)
    recorded = [*history.outcomes.items()]
    again = replay(play.document, play.events[0], recorded)
    assert again.end == first and again.end.reply == {"it": 7}
    assert again.asked == play.given and again.asked["fell"] == {"by": "odo"}
    with pytest.raises(InputError, match="nothing is recorded of look"):
        replay(play.document, play.events[0], [one for one in recorded if one[0] != "look"])


def test_a_recorded_failure_is_played_again_with_what_was_taken_back_and_settled():
    doubt = failed({"kind": "outcome_unknown", "message": "nobody knows", "call": 4})
    steps = [
        {"type": "ask", "name": "cut", "ask": {"operation": "cut", "undo": {"operation": "plant"}}},
        ask("fell"),
        ask("soil"),
    ]
    play = Play(steps, {"fell": doubt, "soil": failed({"kind": "service_failed", "message": "no", "call": 5})})
    assert play.on() is None
    play.events.append(Settled(at=play.now, task="fell", how="done"))
    ended = play.on()
    history = History.of(play.events)
    again = replay(play.document, play.events[0], [*history.outcomes.items()], history.settled)
    assert again.end == ended and again.end.undone == ["cut"]
    assert again.failure == {"step": "soil", "kind": "service_failed", "message": "no"}
