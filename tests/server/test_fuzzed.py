"""The API under made-up requests that its own description allows and forbids, as each role: no 5xx, and answers as
described (schemathesis)."""

import json
from pathlib import Path

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.specs.openapi.checks import content_type_conformance, response_schema_conformance
from tests.whole_rondine import ROOT, WholeRondine

PEOPLE = {"viewer": "vela", "operator": "odo", "builder": "mira", "administrator": "ada"}
#: Where applications come in, by tokens of their own.
USE = "/api/v1/use/"
#: Made-up requests for each operation. Most of what others send is refused before it is read, as tests of roles show.
EXAMPLES = {"administrator": 5, "application": 5}
OTHERS_EXAMPLES = 2
#: What would end the fuzzing itself: the token in use, the project.
LEFT_OUT = {
    ("delete", "/api/v1/tokens"),
    ("delete", "/api/v1/session/tokens/{token_id}"),
    ("delete", "/api/v1/people/{name}/tokens/{token_id}"),
    ("delete", "/api/v1/projects/{project}"),
}
#: Values that lead to something, beside made-up ones.
KNOWN = {
    "project": ["olmara"],
    "environment": ["test", "live", "neither"],
    "name": [
        "tree-register",
        "register-test",
        "tree-key",
        "list-trees",
        "trees-of-terrazze",
        "tree",
        "trees",
        "all-trees",
    ],
    "operation": ["list-trees"],
    "record_type": ["tree"],
    "key": ["OLM-00014"],
    "number": ["1", "2"],
    "kind": ["operations", "mappings", "connections"],
    "run_id": [1, 2, 3],
}


@pytest.fixture(scope="module")
def fuzzed(tmp_path_factory: pytest.TempPathFactory):
    """A Rondine that nothing else uses, after the guided example."""
    whole = WholeRondine(tmp_path_factory.mktemp("fuzzed"), "fuzzed")
    whole.start()
    whole.cli("guide", "--key-file", str(whole.home / "register.key"), "--register", whole.register_url)
    applications = whole.office("ada").applications
    document = {"all_operations": True, "all_record_types": True, "may_write": True}
    applications.make("tree-desk", environment="test", document=document)
    whole.application_token = applications.make_token("tree-desk", "fuzzing")["token"]
    yield whole
    whole.stop()


def description(*, is_use):
    """The API's description, with parameters that often lead somewhere. is_use: the part for applications, or all
    else."""
    document = json.loads((Path(ROOT) / "docs" / "openapi.json").read_text())
    document["paths"] = {
        path: operations for path, operations in document["paths"].items() if path.startswith(USE) == is_use
    }
    for path, operations in document["paths"].items():
        for method in [one for one in operations if (one, path) in LEFT_OUT]:
            del operations[method]
        for operation in operations.values():
            for parameter in operation.get("parameters", []):
                known = KNOWN.get(parameter["name"]) if parameter["in"] == "path" else None
                if known:
                    only = parameter["name"] in ("project", "environment")
                    schema = parameter["schema"]
                    parameter["schema"] = {"enum": known} if only else {"anyOf": [{"enum": known}, schema]}
    return document


@pytest.mark.parametrize("role", [*PEOPLE, "application"])
def test_no_request_that_can_be_made_up_breaks_the_service(fuzzed, role):
    is_use = role == "application"
    schema = schemathesis.openapi.from_dict(description(is_use=is_use))
    token = fuzzed.application_token if is_use else fuzzed.token(PEOPLE[role])
    headers = {"Authorization": f"Bearer {token}"}
    failures: dict[str, str] = {}
    count = 0
    for found in schema.get_all_operations():
        operation = found.ok()

        @given(case=operation.as_strategy())
        @settings(
            max_examples=EXAMPLES.get(role, OTHERS_EXAMPLES),
            phases=[Phase.generate],
            derandomize=True,
            database=None,
            suppress_health_check=list(HealthCheck),
        )
        def send(case):
            nonlocal count
            response = case.call(base_url=fuzzed.url, headers=headers, timeout=120)
            count += 1
            label = f"{case.operation.label}"
            if response.status_code >= 500 and "outside" not in response.text:  # of a service, which is none of ours
                failures.setdefault(
                    label, f"{response.status_code} {case.as_curl_command()[:400]}: {response.text[:400]}"
                )
                return
            try:
                case.validate_response(
                    response, checks=[content_type_conformance, response_schema_conformance], headers=headers
                )
            except BaseException as error:
                failures.setdefault(label, f"{response.status_code} {case.as_curl_command()[:300]}: {str(error)[:900]}")

        send()
    assert failures == {}, "\n\n".join(f"{name}\n{words}" for name, words in failures.items())
    assert count > (60 if is_use else 500)
