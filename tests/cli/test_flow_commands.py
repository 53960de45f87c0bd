"""Flows at the command line: the guided example, runs compared, and flows that are run by themselves."""

import json

ONE = {"type": "ask", "name": "tree", "ask": {"operation": "tree-of-number"}}


def test_the_guided_example_of_flows_brings_three_papers_and_two_reasons_and_can_run_again(rondine):
    papers, key = str(rondine.home / "standins.json"), str(rondine.home / "register.key")
    ports = {"register": rondine.register_url.rpartition(":")[2], **rondine.more}
    (rondine.home / "ports").write_text("".join(f"{name}={port}\n" for name, port in ports.items()))
    rondine.tell("desk")
    for _ in range(2):
        said = rondine.cli("guide", "flow", "--papers", papers, "--key-file", key).stdout
        got = [line.split()[0] for line in said.splitlines() if line.startswith("   ")]
        assert "Quercus robur" in said and "not ready" not in said
        assert got[-5:] == ["tree", "inspections", "lots", "soil", "permit"]
        assert "soil         not there: it has not answered within the step's time" in said
        assert "there is no permit P-99" in said

    checked = rondine.cli("flow", "check", "tree-file").stderr
    assert "nothing was found that stops tree-file in test" in checked
    runs = [json.loads(line) for line in rondine.cli("--json", "run", "list", "--kind", "flow").stdout.splitlines()]
    first = runs[0]["id"]
    again = rondine.cli("flow", "run", "tree-file", "--like", str(first), "--input", "permit=P-7")
    assert again.returncode == 0, again.stderr
    newest = json.loads(rondine.cli("--json", "run", "list", "--kind", "flow").stdout.splitlines()[0])
    assert newest["inputs"] == {"number": "OLM-00022", "permit": "P-7"}
    compared = json.loads(rondine.cli("flow", "compare", str(first), str(newest["id"])).stdout)
    assert [(one["path"], one["before"], one["after"]) for one in compared["inputs"]] == [
        ("$['permit']", '"P-99"', '"P-7"')
    ]

    stopped = rondine.cli("flow", "run", "tree-file", "--like", str(first), "--stop-before", "then")
    shown = json.loads(stopped.stdout)
    newest = shown["run"]["id"]
    assert shown["pauses"][0]["kind"] == "step" and shown["pauses"][0]["shows"]["lots"]["species"] == "Quercus robur"
    assert json.loads(rondine.cli("flow", "next", str(newest)).stdout)["pauses"][0]["step"] == "reply"
    assert json.loads(rondine.cli("flow", "next", str(newest), "--to-end").stdout)["run"]["state"] == "done"
    refused = rondine.cli("flow", "next", str(newest), check=False)
    assert refused.returncode != 0 and "has not stopped before a step" in refused.stderr
    again = rondine.cli("flow", "run", "tree-file", "--like", str(newest), "--from", "then", "--input", "permit=P-7")
    recorded = [one["recorded"] for one in json.loads(again.stdout)["tasks"]]
    assert recorded == [newest] * 3 + [None] * 2
    offered = json.loads(rondine.cli("--json", "flow", "offers", "tree-file", "then").stdout)
    species = next(one for one in offered["openings"] if one["name"] == "species")
    fitting = [offered["offers"][number]["source"] for number in species["offers"]]
    assert {"result": "first", "at": {"jsonpath": "$.parts.tree.records.paper[0].title"}} in fitting

    rondine.cli("flow", "make", "one-tree", "-", stdin=json.dumps({"steps": [ONE]}))
    filled = json.loads(rondine.cli("flow", "fill", "one-tree", "tree", "--reply", "status").stdout)
    assert [one["name"] for one in filled["document"]["reply"]] == ["status"] and filled["problems"]
    filled = json.loads(rondine.cli("flow", "fill", "one-tree", "tree").stdout)
    assert [one["name"] for one in filled["document"]["inputs"]] == ["number"] and filled["problems"] == []

    words = ["--flow", "tree-file", "--every", "PT6H", "--input", "number=OLM-00022", "--input", "permit=P-7"]
    made = json.loads(rondine.cli("flow-schedule", "make", "papers-often", *words).stdout)
    assert (made["schedule_words"], made["problems"]) == ("every PT6H", []) and made["due_at"]
    paused = json.loads(rondine.cli("flow-schedule", "make", "papers-often", "--pause").stdout)
    assert paused["schedule_words"] == "every PT6H, paused"
    assert paused["document"]["inputs"] == {"number": "OLM-00022", "permit": "P-7"}
    [listed] = map(json.loads, rondine.cli("flow-schedule", "list").stdout.splitlines())
    assert (listed["name"], listed["document"]["flow"]) == ("papers-often", "tree-file")
