"""A test case: values for the inputs of an operation or a flow, and what was recorded, with what they are expected to
come to."""

from collections.abc import Mapping
from datetime import datetime
from typing import Annotated, Any, ClassVar, Literal

from msgspec import Meta

from rondine.core.settings import Document


class Expected(Document, frozen=True, kw_only=True):
    """What a case is expected to come to. Values of records are as the API gives them."""

    request: Annotated[
        str, Meta(description="what is sent for the inputs, as HTTP text without its host, before sign-in")
    ] = ""
    outcome: Annotated[
        Literal["good", "partial", "nothing_found", "failure"], Meta(description="what the response means")
    ] = "good"
    message: Annotated[str, Meta(description="the service's own words, of a failure")] = ""
    records: Annotated[
        dict[str, list[dict[str, Any]]], Meta(description="that the mapping makes of it, by record type, in order")
    ] = {}
    rejects: Annotated[
        list[str], Meta(description="rows that are no record: the place of each, its field and the reason")
    ] = []
    filtered: Annotated[int, Meta(ge=0, description="rows that the mapping leaves out")] = 0
    asked: Annotated[
        dict[str, dict[str, Any]], Meta(description="of a flow: what each of its tasks is given, by its name")
    ] = {}
    reply: Annotated[dict[str, Any] | None, Meta(description="of a flow that ends with one")] = None
    failure: Annotated[dict[str, Any] | None, Meta(description="of a flow that ends with one")] = None
    undone: Annotated[list[str], Meta(description="of a flow: tasks that it takes back")] = []


class RecordedAnswer(Document, frozen=True, kw_only=True):
    """What a task of a flow came to; a pause, too."""

    task: str
    outcome: dict[str, Any]


class Recording(Document, frozen=True, kw_only=True):
    """What happened in a run of a flow."""

    answers: Annotated[list[RecordedAnswer], Meta(description="in the order in which they came")] = []
    settled: Annotated[
        dict[str, Literal["done", "failed", "again"]],
        Meta(description="what was said of tasks of which nobody knew whether they had their effect"),
    ] = {}
    begun_at: Annotated[datetime | None, Meta(description="when the run began")] = None
    role: Annotated[str, Meta(description="of whoever began it")] = ""
    caller: Annotated[str, Meta(description="the application's user")] = ""


class CaseDocument(Document, frozen=True, kw_only=True):
    """A test case of an operation, and of a mapping if it names one; or of a flow. It is checked without a network."""

    REFERENCES: ClassVar[Mapping[str, str]] = {
        "operation": "operations",
        "sample": "samples",
        "mapping": "mappings",
        "flow": "flows",
    }
    GIVEN_BY_NAME: ClassVar[frozenset[str]] = frozenset({"inputs"})

    operation: Annotated[str, Meta(description="by name")] = ""
    flow: Annotated[str, Meta(description="by name, in place of an operation")] = ""
    recording: Annotated[Recording | None, Meta(description="of a flow: the run that is played again")] = None
    inputs: Annotated[dict[str, Any], Meta(description="values for its inputs, by name")] = {}
    sample: Annotated[
        str, Meta(description="the recorded response, by name; without one the request alone is checked")
    ] = ""
    mapping: Annotated[str, Meta(description="that makes records of it; none, if there is none to be checked")] = ""
    standing: Annotated[
        dict[str, Any], Meta(description="standing values, by name, as they were when it was recorded")
    ] = {}
    expected: Annotated[Expected, Meta(description="recorded, and recorded anew on request")] = Expected()
    description: Annotated[str, Meta(description="what it is to show, in one's own words")] = ""

    def __post_init__(self) -> None:
        if bool(self.operation) == bool(self.flow):
            raise ValueError("give one of operation and flow")
        if self.flow and (self.sample or self.mapping):
            raise ValueError("sample and mapping go with operation")
        if self.operation and self.recording is not None:
            raise ValueError("recording goes with flow")
