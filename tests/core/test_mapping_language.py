"""The mapping language: its conformance cases, each the exact way, the fast way, and row by row."""

import json
from pathlib import Path

import pytest
import yaml
from tests.core.test_conversions import plain

from rondine.core.documents.reading import BodyForm, read_document
from rondine.core.errors import MappingError
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument, problems_of
from rondine.core.mapping.rowwise import row_reader
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.settings import load

CASES = yaml.load((Path(__file__).parent / "data" / "mapping.yaml").read_text(), yaml.SafeLoader)


def mapping_of(case):
    """(the mapping, its record types)."""
    outputs = case.get("outputs")
    if outputs is None:
        names = case.get("levels") or [f"level{number}" for number, _ in enumerate(case["rows"])]
        or_one = {"or_one": True} if case.get("or_one") else {}
        rows = [{"level": name, "at": at, **or_one} for name, at in zip(names, case["rows"], strict=True)]
        outputs = [{"record_type": "made", "rows": rows, "where": case.get("where", []), "fields": case["fields"]}]
    of = case.get("format") or ("xml" if str(case.get("body", "")).startswith("<") else "json")
    mapping = load(MappingDocument, {"format": of, "namespaces": case.get("namespaces", {}), "outputs": outputs})
    types, units = case.get("types", {}), case.get("units", {})
    return mapping, {
        output["record_type"]: load(
            RecordTypeDocument,
            {"fields": [{"name": name, "type": types.get(name, "text"), "unit": units.get(name,
            "")} for name in dict.fromkeys(rule["name"] for rule in output["fields"])]},
        )
        for output in outputs
    }  # fmt: skip


def shown(record):
    return plain({name: value.isoformat() if hasattr(value, "isoformat") else value for name, value in record.items()})


@pytest.mark.parametrize("case", CASES, ids=[one["what"] for one in CASES])
def test_each_construct_makes_what_its_case_says(case):
    mapping, types = mapping_of(case)
    problems = problems_of(mapping, types, is_kept=False)
    if "problem" in case:
        place, words = case["problem"]
        assert [one.where for one in problems] == [place] and words in problems[0].message, problems
        return
    assert problems == []
    body = (case["body"] if isinstance(case["body"], str) else json.dumps(case["body"], default=str)).encode()
    read = read_document(body, namespaces=mapping.namespaces)
    held = case.get("given", {})
    given = mapping_inputs(held.get("inputs", {}), held.get("standing"), held.get("headers", ()))
    outputs = compile_mapping(mapping, types, is_kept=False)
    if words := case.get("fails") or case.get("stops"):
        with pytest.raises(MappingError) as told:
            outputs[0].run(read.value, given)
        assert words.lower() in str(told.value).lower()
        return
    exact = [one.run_rows(read.value, one._first_rows(read.value), given, None) for one in outputs]
    ways = [exact, [one.run(read.value, given) for one in outputs]]
    reader = row_reader(mapping, outputs)
    if reader is not None and (page := reader.page(body, given, form=BodyForm(read.format))) is not None:
        ways.append(page[0].mapped)
    for way in ways:
        records = {output.record_type: [shown(one) for one in mapped.data] for output, mapped in zip(outputs, way,
        strict=True)}  # fmt: skip
        wanted = case.get("records", [])
        wanted = wanted if isinstance(wanted, dict) else {"made": wanted}
        assert records == {name: [shown(row) for row in rows] for name, rows in wanted.items()}
        rejects = [(one.ordinal, problem.field, problem.reason) for one in way[0].rejects for problem in one.problems]
        assert [one[:2] for one in rejects] == [tuple(one[:2]) for one in case.get("rejects", [])]
        assert all(one[2] in reject[2] for one, reject in zip(case.get("rejects", []), rejects, strict=True)), rejects
        assert way[0].filtered == case.get("filtered", 0)
