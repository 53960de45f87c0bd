"""Every flow in the documentation's examples runs, and replies what stands beside it."""

import json
import re

import pytest
import yaml
from tests.flowing import Papers
from tests.whole_rondine import ROOT

from rondine.core.names import proposed_name

TEXT = (ROOT / "docs" / "flow-examples.md").read_text()
EXAMPLES = re.findall(r"^## (.+?)\n.*?```yaml\n(.+?)```\n+```json\n(.+?)\n```", TEXT, re.DOTALL | re.MULTILINE)


@pytest.fixture(scope="module")
def papers(rondine, serve_for_module):
    papers = Papers(rondine, serve_for_module, "flow-examples")
    papers.status["permits"] = 403
    papers.project.credentials.make("lab-key", environment="test")
    papers.project.credentials.set_secrets("lab-key", signing_key="whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw")
    becomes = {"becomes": {"type": "flow"}}
    papers.project.webhooks.make("lab-results", environment="test", credential="lab-key", document=becomes)
    return papers


def test_there_is_an_example_of_each_kind_of_step_rule_and_source():
    assert len(EXAMPLES) == TEXT.count("```yaml") >= 12
    for word in (
        *("ask", "records", "decide", "pause", "end", "what_succeeds", "first", "go_on", "instead", "repeat"),
        *("together", "each", "gather", "undo", "keep", "only", "callback", "person", "convert", "members", "first_of"),
    ):
        assert re.search(rf"\b{word}\b", TEXT), word


@pytest.mark.parametrize(("title", "flow", "expected"), EXAMPLES, ids=[one[0] for one in EXAMPLES])
def test_an_example_replies_what_stands_beside_it(papers, title, flow, expected):
    project, name = papers.project, proposed_name(title)
    made = project.flows.make(name, document=yaml.safe_load(flow))
    assert made["problems"] == [], made["problems"]
    run = papers.begin(name)
    if "person:" in flow:
        papers.wait_for(run, "person")
        project.flows.answer(run, "look", True)
    _, reply, failure = papers.end_of(run)
    if reply is None:
        reply = {"failure": failure["step"], "undone": project.flows.shown(run)["undone"]}
    assert reply == json.loads(expected)
