"""Runs of feeds, queued with everything that they go by."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from rondine.core.errors import Conflict, DraftError, NotFound, Problem
from rondine.core.http.limits import meter
from rondine.core.items.moving import ONLY_NEW, moved_inputs
from rondine.core.mapping.document import kept_part
from rondine.core.operations.inputs import checked_inputs
from rondine.core.settings import dump
from rondine.server.access.models import Person, Project
from rondine.server.connecting.models import Connection
from rondine.server.connecting.opening import connection_for, open_connection, standing_values
from rondine.server.connecting.usage import usage_of
from rondine.server.feeds.kinds import FEEDS, asked_once
from rondine.server.feeds.models import Feed
from rondine.server.feeds.moving import check_newest, last_run
from rondine.server.feeds.rejects import check_rejects_of
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.operations.kinds import OPERATIONS, with_queries
from rondine.server.records.kinds import RECORD_TYPES, record_types_in
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.actions import defer, find_run, notify
from rondine.server.runs.models import Run
from rondine.server.runs.remarks import Remark


def queue_feed(
    project: Project,
    feed: Feed,
    person: Person | None,
    inputs: Mapping[str, Any],
    *,
    confirmed: bool = False,
    brings_all: bool = False,
    may_mark_all: bool = False,
    is_dry: bool = False,
    only_rows_of: int | None = None,
    only_rows: Sequence[int] | None = None,
    only_rejects_of: int | None = None,
    begun_by: str = "",
    due_at: datetime | None = None,
) -> Run:
    """A run of the feed, and its job in the same transaction. Raises DraftError with every reason why it cannot run,
    and Conflict if it would use up a limit of days or months, unless that is confirmed.

    brings_all: it brings all again, also where its inputs move with what is new.  may_mark_all: records that no longer
    come are marked as gone, however many they are.  is_dry: it only tells what it would do.  only_rows_of: a run
    before, of which only the rows that failed are asked for again.  only_rows: ids of the only records
    that are asked for.  only_rejects_of: a run before, whose rejected rows are read again from the responses kept with
    it, and nothing is asked for.
    """
    configuration = Configuration(feed.environment)
    problems = FEEDS.problems(feed)
    try:
        connection = connection_for(feed.operation.service, feed.environment)
        open_connection(connection, feed.operation.name)
        if "copy" not in connection.loaded().supports:
            problems = [*problems, _no_copy(connection)]
    except (DraftError, NotFound) as error:
        problems = [*problems, error.as_problem("/environment")]
    if problems:
        raise DraftError(
            f'feed "{feed.name}" cannot run: {problems[0].message}',
            where=f"feed {feed.name}",
            hint=problems[0].hint,
            problems=problems,
        )
    if not confirmed:
        warn_of_limits(feed, connection)
    document = configuration.in_its_names(feed.loaded())
    operation = configuration.item(OPERATIONS, feed.operation).loaded()
    if not operation.enabled:
        raise DraftError(
            f'operation "{feed.operation.name}" is disabled',
            where=f"operation {feed.operation.name}",
            hint=f"enable it: rondine operation enable {feed.operation.name}",
        )
    released_mapping = configuration.item(MAPPINGS, feed.mapping).loaded()
    mapping = resolved_mapping(feed.project_id, released_mapping, configuration=configuration)
    mapping, others = kept_part(mapping, configuration.documents(RECORD_TYPES))
    if not mapping.outputs:
        raise DraftError(
            f'feed "{feed.name}" would keep nothing: {", ".join(others)}',
            where=f"mapping {feed.mapping.name}",
            hint="let the record type be kept, or remove the feed",
        )
    used = {output.record_type for output in mapping.outputs}
    content = {
        "release": configuration.release.number if configuration.release else None,
        "operation": dump(with_queries(operation, project.pk, configuration)),
        "operation_name": feed.operation.name,
        "mapping": dump(mapping),
        "mapping_name": feed.mapping.name,
        "feed": dump(document),
        **record_types_in(configuration, used),
    }
    fixed = {**document.inputs, **{name: value for name, value in inputs.items() if name not in document.moving}}
    goes_on = any(isinstance(setting, ONLY_NEW) for setting in document.moving.values()) and not brings_all
    last, why = last_run(feed, content, fixed) if goes_on else (None, "")
    now = timezone.now()
    moved = moved_inputs(document.moving, {one.name: one for one in operation.inputs}, now, last)
    values = {**document.inputs, **moved, **inputs}
    asked = asked_once(document, operation, configuration.documents(RECORD_TYPES))
    checked_inputs(asked, values, standing_values(project, feed.environment.name))
    # it asks for less than what is new: the next run does not go on from it
    content["is_partial"] = only_rows_of is not None or only_rows is not None or bool(inputs.keys() & document.moving)
    if only_rows_of is not None:
        content["only_rows_of"] = _with_failures(feed, only_rows_of)
    if only_rejects_of is not None:
        check_rejects_of(feed, only_rejects_of, mapping)
        content["only_rejects_of"], content["is_partial"] = only_rejects_of, True
    if only_rows is not None:
        content["only_rows"] = list(only_rows)
    remarks = [Remark("all_again", f"it brings all again: {why} since the run before").to_json()] if why else []
    if others:
        words = f"{', '.join(others)}: what the mapping makes of it is not kept"
        remarks.append(Remark("passing", words).to_json())
    try:
        with transaction.atomic():
            run = Run.objects.create(
                project=project,
                environment=feed.environment,
                kind="feed",
                feed=feed,
                operation=feed.operation,
                title=feed.title or feed.name,
                inputs=values,
                content=content,
                by=person,
                begun_by=begun_by,
                due_at=due_at,
                brings_all=not moved and values == document.inputs and not content["is_partial"],
                may_mark_all=may_mark_all,
                is_dry=is_dry,
                remarks=remarks,
            )
            defer(run)
            notify(run.pk)
    except IntegrityError as error:
        active = Run.objects.filter(feed=feed, state__in=("queued", "running")).first()
        raise Conflict(
            f'feed "{feed.name}" is running already',
            where=f"run {active.pk if active else ''}",
            hint="wait for it, or cancel it first",
        ) from error
    return run


def _with_failures(feed: Feed, run_id: int) -> int:
    """The run's number again. Raises Conflict if no row failed in it, or it is of another feed."""
    run = find_run(feed.project, run_id)
    if run.feed_id != feed.pk or not run.row_failures.exists():
        raise Conflict(
            f"no row failed in run {run_id} of {feed.name}", where=f"run {run_id}", hint="run the feed as a whole"
        )
    return run_id


def go_on(project: Project, run_id: int) -> Run:
    """Lets a run of a feed that failed or was cancelled go on behind the last page that it kept, as the same run.

    Raises Conflict if it cannot: it is done or under way, kept nothing, or its feed has run since.
    """
    run = find_run(project, run_id)
    where, hint = f"run {run_id}", "start a new one"
    if run.kind != "feed" or run.feed is None:
        raise Conflict("only runs of feeds go on", where=where, hint="send it again")
    if run.state not in ("failed", "cancelled"):
        raise Conflict(f"run {run_id} is {run.state}", where=where, hint="only what failed or was cancelled goes on")
    has_kept = run.rows_asked or any(run_count.rows for run_count in run.counts.all())
    if not has_kept or not run.checkpoint or not run.checkpoint["next"]:
        raise Conflict("it kept no page that it could go on behind", where=where, hint=hint)
    if run.is_dry:
        raise Conflict("a dry run kept nothing that it could go on behind", where=where, hint=hint)
    check_newest(run.feed, run.pk, hint)
    words = f"{run.state} before ({run.ending}), it went on behind the last page that was kept"
    remarks = [*run.remarks, Remark("went_on", words, "what changed on earlier pages meanwhile is not seen").to_json()]
    try:
        with transaction.atomic():
            changed = Run.objects.filter(pk=run.pk, state=run.state).update(
                state="queued", error=None, ending="", ended_at=None, queued_at=timezone.now(), remarks=remarks
            )
            if not changed:
                raise Conflict(f"run {run_id} was changed meanwhile", where=where, hint="look at it again")
            defer(run)
            notify(run.pk)
    except IntegrityError as error:
        words = f'feed "{run.feed.name}" is running already'
        raise Conflict(words, where=where, hint="wait for it, or cancel it first") from error
    return find_run(project, run_id)


def warn_of_limits(feed: Feed, connection: Connection) -> None:
    """Raises Conflict if the feed, calling as often as its last whole run did, would use up what is left of a day or
    month."""
    last = feed.runs.filter(state="done", is_dry=False).order_by("-id").first()
    calls = last.calls.count() if last else 1
    limits = connection.loaded().limits
    usage, now = usage_of(connection.pk)
    for one in meter(limits, usage, now=now):
        if one.limit.span in ("day", "month") and calls >= one.left:
            when = f"{datetime.fromtimestamp(one.refills_at, UTC):%Y-%m-%d %H:%M} UTC" if one.refills_at else "now"
            raise Conflict(
                f"the feed needs about {calls:,} calls, and {one.left:,} are left of {one.limit.words}; it refills from"
                f" {when}",
                where=f"connection {connection.name}: limits",
                hint="wait until then, or start it all the same: confirmed (rondine feed run --confirm)",
            )


def _no_copy(connection: Connection) -> Problem:
    return Problem(
        "/environment",
        f'connection "{connection.name}" is not for keeping copies',
        "let it support copy, or read the service live",
    )
