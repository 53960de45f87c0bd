"""Drift of a run's responses from the schema on file, with what uses the parts that differ."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from django.db.models import Exists, OuterRef, QuerySet

from rondine.core.documents import ReadDocument, read_document
from rondine.core.errors import DriftStops, RondineError
from rondine.core.http.messages import storable_text
from rondine.core.items.feed import FeedDocument
from rondine.core.mapping.coverage import Taken, paths_taken
from rondine.core.mapping.document import MappingDocument
from rondine.core.operations.document import OperationDocument, response_for
from rondine.core.schema import decided_keys
from rondine.core.schema.drift import MOST_ELEMENTS, DescribedSchema, Drift, SchemaOnFile, seen_schema, thinned
from rondine.core.schema.outline import OutlineRow
from rondine.server.feeds.models import DriftPeriod, Feed
from rondine.server.feeds.pages import Comparison, Page, PreparedFeed, UsedDrift
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.operations.models import Sample
from rondine.server.operations.trials import described_schemas
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.models import Body, Call, Run
from rondine.server.runs.remarks import Remark

#: Samples that make up the schema on file, the newest, and bytes of one that is looked at.
MOST_SAMPLES = 5
MOST_BYTES = 4 * 1024 * 1024
#: Differences that are told one by one.
MOST_TOLD = 10
HINT = "correct the mapping, or adopt the difference if it is right"


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
                run__feed=run.feed,
                run__state="done",
                run__is_dry=False,
                error__isnull=True,
                body__isnull=False,
                rows__gt=0,
            )
            .exclude(run=run)
            .exclude(Exists(differing_periods(run.feed, OuterRef("run_id"))))
            .select_related("body")
            .order_by("-run_id", "number")
            .first()
        )
        if first is None or first.body is None:
            return None
        bodies, words = [first.body], f"run {first.run_id}"
    documents = _read(bodies, namespaces)
    return seen_schema(words, documents, decided_keys(operation.response.corrections)) if documents else None


def differing_periods(feed: Any, run_id: Any) -> QuerySet[DriftPeriod]:
    """Periods in which a run lies, so that its responses are not what is on file."""
    return DriftPeriod.objects.filter(feed=feed, first_run__lte=run_id, last_run__gte=run_id).exclude(kind="unseen")


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
    others = Feed.objects.filter(operation=run.feed.operation_id).exclude(pk=run.feed.pk)
    for feed in others.select_related("mapping", "environment__release"):
        try:
            configuration = Configuration(feed.environment)
            mapping_there = configuration.item_or_draft(MAPPINGS, feed.mapping).loaded()
            theirs = resolved_mapping(run.project_id, mapping_there, configuration=configuration)
            found += [(feed.name, one) for one in paths_taken(theirs)]
        except RondineError:  # its own problems say why
            continue
    return found


def comparison_for(
    run: Run, feed: FeedDocument, operation: OperationDocument, mapping: MappingDocument
) -> Comparison | None:
    """What a run's responses are compared with; None if nothing is on file."""
    assert run.feed is not None
    on_file = schema_on_file(run, operation, mapping.namespaces)
    if on_file is None:
        return None
    accepted = {one.identity for one in operation.response.accepted}
    users = users_of_paths(run, mapping)
    return Comparison(on_file, run.feed.name, users, accepted, feed.drift, brings_whole(run))


def brings_whole(run: Run) -> bool:
    return run.brings_all and not run.content.get("is_partial")


def compared(
    comparison: Comparison, read: ReadDocument, most: int = MOST_ELEMENTS
) -> tuple[list[UsedDrift], set[tuple[str, str]]]:
    """(in what a response differs, but for what was accepted, what something uses first; (record type, field) of those
    that the feed's mapping fills from a part that it has). most: elements of a list that are looked at."""
    read = replace(read, value=thinned(read.value, most))
    lines = comparison.on_file.outline(read)
    found = []
    for drift in comparison.on_file.drift(read, lines):
        if drift.identity in comparison.accepted:
            continue
        users = [(feed, taken) for feed, taken in comparison.users if taken.meets(drift.path)]
        used_by = tuple(dict.fromkeys(f"{taken.words} (feed {feed})" for feed, taken in users))
        found.append(UsedDrift(drift, used_by, any(feed == comparison.feed for feed, _ in users)))
    return sorted(found, key=lambda one: not one.used_by), _fields_in(comparison, lines)


def _fields_in(comparison: Comparison, lines: Sequence[OutlineRow]) -> set[tuple[str, str]]:
    paths = [line.path for line in lines if line.seen > line.nulls]
    ours = [taken for feed, taken in comparison.users if feed == comparison.feed]
    return {(one.record_type, one.field) for one in ours if any(one.holds(path) for path in paths)}


def never_seen(comparison: Comparison, seen: Collection[tuple[str, str]]) -> list[UsedDrift]:
    """Fields that the feed's mapping fills from a part that was in no row; by its first path."""
    found: dict[tuple[str, str], UsedDrift] = {}
    for feed, taken in comparison.users:
        name = (taken.record_type, taken.field)
        if feed == comparison.feed and taken.field and name not in seen and name not in found:
            drift = Drift(taken.path, "was in none of the rows that were looked at", "unseen")
            if drift.identity not in comparison.accepted:
                found[name] = UsedDrift(drift, (f"{taken.words} (feed {feed})",), is_ours=True)
    return list(found.values())


def drift_remarks(found: Sequence[UsedDrift], on_file: str, call: int) -> list[Remark]:
    """One for each of the first differences."""
    told = []
    for one in found[:MOST_TOLD]:
        rest = len(one.used_by) - 5
        users = f"{', '.join(one.used_by[:5])}{f' and {rest} more' if rest > 0 else ''}"
        by = f"used by {users}" if users else "nothing uses it"
        words = f"{one.drift.path} {one.drift.words}, against {on_file}; {by}"
        told.append(Remark("drift", words, HINT if users else "", call))
    if (more := len(found) - MOST_TOLD) > 0:
        told.append(Remark("drift", f"{more} more differences from {on_file}", "look at the feed's drift", call))
    return told


def stop_for(comparison: Comparison, found: Sequence[UsedDrift], where: str) -> None:
    """Raises DriftStops if the feed is to stop for what a response differs in."""
    ours = [one for one in found if one.is_ours]
    if comparison.action == "stop" and ours:
        more = f", and {len(ours) - 1} more" if len(ours) > 1 else ""
        words = f"{ours[0].drift.path} {ours[0].drift.words}{more}, which {ours[0].used_by[0]} takes"
        raise DriftStops(f"the response differs from the schema on file: {words}", where=where, hint=HINT)


def note_drift(feed: PreparedFeed, pages: Iterable[Page], now: datetime) -> None:
    """Writes down what these pages differ in: differences that are open go on, others begin."""
    if feed.comparison is None:
        return
    found = {}
    for page in reversed([*pages]):
        for one in page.drift:
            path, kind, words = one.drift.identity
            found[storable_text(path)[:600], kind, storable_text(words)[:600]] = (one, page.number)
    if not found:
        return
    still = DriftPeriod.objects.filter(feed=feed.feed_id, ended_at=None, adopted_at=None)
    known = {(one.path, one.kind, one.words): one for one in still}
    for (path, kind, words), (one, call) in found.items():
        period = known.get((path, kind, words)) or DriftPeriod(
            feed_id=feed.feed_id,
            path=path,
            kind=kind,
            words=words,
            first_run=feed.run_id,
            call=call,
            first_at=now,
        )
        period.last_run, period.last_at, period.on_file = feed.run_id, now, feed.comparison.on_file.name[:200]
        period.example, period.used_by = storable_text(one.drift.example)[:100], list(one.used_by[:20])
        period.save()


def end_drift(run: Run, now: datetime) -> None:
    """What a run that saw all, and compared responses, did not find any more is over."""
    if brings_whole(run) and Run.objects.filter(pk=run.pk, compared__gt=0).exists():
        still = DriftPeriod.objects.filter(feed=run.feed_id, ended_at=None, adopted_at=None)
        still.exclude(last_run=run.pk).update(ended_at=now, ended_run=run.pk)
