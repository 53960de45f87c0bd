"""Every value of every sample is in a field of a proposal, in a part of it, or among what it says it left out."""

import json
from xml.sax.saxutils import quoteattr

from hypothesis import given
from hypothesis import strategies as st

from rondine.core.documents.reading import read_document
from rondine.core.mapping.coverage import paths_taken
from rondine.core.mapping.propose import is_within, propose

NAMES = st.sampled_from(["number", "girth", "place", "care", "note", "visits", "@odata.etag", "on"])
VALUES = st.recursive(
    st.integers(0, 99) | st.sampled_from(["Orti", "", "2026-01-01"]) | st.booleans() | st.none(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(NAMES, inner, max_size=3),
    max_leaves=12,
)
ROWS = st.lists(st.dictionaries(NAMES, VALUES, max_size=4), min_size=1, max_size=4)


def leaves(value, path):
    """The paths of all values that are there, [*] for any element."""
    if isinstance(value, dict):
        for name, inner in value.items():
            step = f".{name}" if name.isalpha() else f"['{name}']"
            yield from leaves(inner, path + step)
    elif isinstance(value, list):
        for inner in value:
            yield from leaves(inner, path + "[*]")
    elif value is not None:
        yield path


@given(ROWS)
def test_no_value_of_json_is_left_out_in_silence(rows):
    rows = [{"id": f"OLM-{at}", **row} for at, row in enumerate(rows)]
    made = propose([read_document(json.dumps(rows).encode())], rows=["$[*]"], name="tree")
    told = {one.path.removeprefix("$[*]") for one in paths_taken(made.mapping) if one.field}
    told |= {path.removeprefix("$") for part in made.parts for path in part.takes}
    told |= {path.removeprefix("$") for path in made.left_out}
    found = {path for row in rows for path in leaves(row, "")}
    keyed = {path for path in found if is_within(path, told) or is_within(wild(path), told)}
    assert found <= keyed, (found - keyed, told)


def wild(path):
    """Members of an object whose keys are data have one line for all of them."""
    return path.rpartition(".")[0] + "[*]"


TEXTS = st.lists(st.sampled_from(["pruned", "watered"]), min_size=1, max_size=3)
XML_ROWS = st.lists(
    st.fixed_dictionaries({}, optional={"care": TEXTS, "girth": st.just(["2"]), "visit": TEXTS, "kind": TEXTS}),
    min_size=2,
    max_size=4,
)


@given(XML_ROWS)
def test_no_element_of_xml_is_left_out_in_silence(rows):
    text = "".join(
        f"<tree id={quoteattr(str(at))}>"
        + "".join(f"<{name}>{value}</{name}>" for name, values in row.items() for value in values)
        + "</tree>"
        for at, row in enumerate(rows)
    )
    made = propose([read_document(f"<trees>{text}</trees>".encode())], rows=["/trees/tree"], name="tree")
    told = {one.path.removeprefix("/trees/tree/") for one in paths_taken(made.mapping)} | set(made.left_out)
    assert {"@id", *(name for row in rows for name in row)} <= told


def test_a_list_of_texts_in_xml_becomes_a_field_with_all_of_them():
    text = (
        b"<trees><tree id='1'><care>pruned</care><care>watered</care></tree><tree"
        b" id='2'><care>pruned</care></tree></trees>"
    )
    made = propose([read_document(text)], rows=["/trees/tree"], name="tree")
    assert [(field.name, field.type) for field in made.record_type.fields] == [("id", "integer"), ("care", "json")]
    assert made.left_out == []
