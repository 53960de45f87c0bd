"""Drift of a run's responses from the schema on file, with what uses the parts that differ."""

from collections.abc import Sequence

from rondine.core.documents import ReadDocument, read_document
from rondine.core.errors import RondineError
from rondine.core.mapping.coverage import Taken, paths_taken
from rondine.core.mapping.document import MappingDocument
from rondine.core.operations.document import OperationDocument, response_for
from rondine.core.schema import decided_keys
from rondine.core.schema.drift import DescribedSchema, Drift, SchemaOnFile, seen_schema
from rondine.server.feeds.models import Feed
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.operations.models import Sample
from rondine.server.operations.trials import described_schemas
from rondine.server.runs.models import Body, Call, Run
from rondine.server.runs.remarks import Remark

#: Samples that make up the schema on file, the newest, and bytes of one that is looked at.
MOST_SAMPLES = 5
MOST_BYTES = 4 * 1024 * 1024
#: Differences that are told one by one.
MOST_TOLD = 10


def schema_on_file(run: Run, operation: OperationDocument, namespaces: dict[str, str]) -> SchemaOnFile | None:
    """What a definition says of the response; else what the operation's samples show; else the first response of the
    feed's last good run.

    None if there is none of these.
    """
    assert run.feed is not None
    described = response_for(operation, 200)
    if described is not None and described.schema is not None:
        name = described.definition or (operation.came_from.definition if operation.came_from else "")
        words = f'definition "{name}"' if name else "the operation's description"
        schemas = described_schemas(run.project_id, run.feed.operation, described)
        return DescribedSchema(words, described.schema, schemas)
    samples = Sample.objects.filter(operation=run.feed.operation_id).select_related("body").order_by("-changed_at")
    bodies = [sample.body for sample in samples[:MOST_SAMPLES] if sample.document.get("status") in (None, 200)]
    words = "the operation's samples" if len(bodies) > 1 else "the operation's sample"
    if not bodies:
        first = (
            Call.objects.filter(
                run__feed=run.feed, run__state="done", error__isnull=True, body__isnull=False, rows__gt=0
            )
            .exclude(run=run)
            .exclude(run__remarks__contains=[{"kind": "drift"}])
            .select_related("body")
            .order_by("-run_id", "number")
            .first()
        )
        if first is None or first.body is None:
            return None
        bodies, words = [first.body], f"run {first.run_id}"
    documents = _read(bodies, namespaces)
    return seen_schema(words, documents, decided_keys(operation.response.corrections)) if documents else None


def _read(bodies: Sequence[Body], namespaces: dict[str, str]) -> list[ReadDocument]:
    """Those of the first one's format that can be read."""
    documents: list[ReadDocument] = []
    for body in bodies:
        if body.size > MOST_BYTES:
            continue
        try:
            read = read_document(
                body.content(), media_type=body.media_type, charset=body.charset, namespaces=namespaces
            )
        except RondineError:
            continue
        if not documents or read.is_xml == documents[0].is_xml:
            documents.append(read)
    return documents


def users_of_paths(run: Run, mapping: MappingDocument) -> list[tuple[str, Taken]]:
    """(feed, what its mapping takes) of this run's feed and of all others of its operation."""
    assert run.feed is not None
    found = [(run.feed.name, one) for one in paths_taken(mapping)]
    others = Feed.objects.filter(operation=run.feed.operation_id).exclude(pk=run.feed.pk).select_related("mapping")
    for feed in others:
        try:
            theirs = resolved_mapping(run.project_id, feed.mapping.loaded())
            found += [(feed.name, one) for one in paths_taken(theirs)]
        except RondineError:  # its own problems say why
            continue
    return found


def drift_remarks(found: Sequence[Drift], on_file: str, users: Sequence[tuple[str, Taken]], call: int) -> list[Remark]:
    """One for each difference, those that something uses first."""
    lines: list[tuple[bool, Remark]] = []
    for drift in found:
        used = list(dict.fromkeys(f"{taken.words} (feed {feed})" for feed, taken in users if taken.meets(drift.path)))
        by = (
            f"used by {', '.join(used[:5])}{f' and {len(used) - 5} more' if len(used) > 5 else ''}"
            if used
            else "nothing uses it"
        )
        hint = "correct the mapping, or keep a sample of the new response" if used else ""
        lines.append((not used, Remark("drift", f"{drift.path} {drift.words}, against {on_file}; {by}", hint, call)))
    told = [remark for _, remark in sorted(lines, key=lambda pair: pair[0])]
    rest = len(told) - MOST_TOLD
    if rest > 0:
        words = f"{rest} more differences from {on_file}"
        told = [*told[:MOST_TOLD], Remark("drift", words, "compare a trial with it", call)]
    return told
