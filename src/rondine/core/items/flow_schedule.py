"""What begins a flow by itself: times, another feed's end, or a change of a kept record."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from msgspec import Meta

from rondine.core.items.schedule import Schedule
from rondine.core.settings import Document


class FlowScheduleDocument(Document, frozen=True, kw_only=True):
    """When a flow is run by itself, and with what."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"flow": "flows"}

    flow: Annotated[str, Meta(description="by name")]
    schedule: Annotated[Schedule, Meta(description="when")]
    inputs: Annotated[dict[str, Any], Meta(description="what it is given, by the names of its inputs")] = {}
    from_record: Annotated[
        dict[str, str],
        Meta(
            description=(
                "of a watch: inputs that are fields of the record that has changed, input by field; the flow is run"
                " once for each record then"
            )
        ),
    ] = {}
    overlaps: Annotated[
        bool, Meta(description="it is begun also while the run before is still under way, waiting, say")
    ] = False
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""
