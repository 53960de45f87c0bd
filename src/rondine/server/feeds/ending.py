"""How a run ends: done, or failed if no row was good; and what no longer comes."""

from array import array
from functools import partial
from typing import Any

from django.db import transaction
from django.utils import timezone

from rondine.core.errors import AllRowsRejected, ServiceError
from rondine.core.items.feed import FeedDocument, Gone
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.server.feeds.drift import end_drift
from rondine.server.feeds.known import forget_earlier
from rondine.server.feeds.moving import marks_of
from rondine.server.feeds.scheduling import start_after
from rondine.server.feeds.telling import tell_of_end
from rondine.server.records.actions import bits_alive
from rondine.server.records.going import Missing, mark_gone, missing, would_go
from rondine.server.records.keeping import Filling
from rondine.server.records.models import PlannedChange, RecordSet, RecordType, SeenBatch
from rondine.server.records.planning import MOST_PLANNED
from rondine.server.records.seen import SeenRecords
from rondine.server.runs.actions import end_run
from rondine.server.runs.calls import problem_of
from rondine.server.runs.completeness import Verdict
from rondine.server.runs.models import Run, RunCount
from rondine.server.runs.remarks import Remark, merged, remark_of


def finish_run(run: Run, verdict: Verdict) -> None:
    """Ends a run whose pages are all kept: done, or failed if no row was good. If it saw all, what
    no longer comes is marked as gone."""
    counts = list(RunCount.objects.filter(run=run).order_by("record_type"))
    remarks = [remark_of(one) for one in Run.objects.values_list("remarks", flat=True).get(pk=run.pk)]
    repeated = sum(one.repeated for one in counts)
    if verdict.completeness == "complete" and repeated and run_total(run) is not None:
        words = f"{verdict.reason}, but {repeated:,} rows came more than once: as many may be missing"
        verdict = Verdict("unknown", words, "let the service sort by the key, so that its pages stand still")
    if verdict.completeness == "incomplete":
        remarks = merged([Remark("incomplete", verdict.reason, verdict.hint)], remarks)
    rejected, good = (
        sum(one.rejected for one in counts),
        sum(run_count.rows - run_count.rejected - run_count.filtered for run_count in counts),
    )
    failure = None
    if rejected and not good:
        hint = f"look at them: rondine run rejects {run.pk}; the service may have changed"
        words = f"none of the {rejected:,} rows could become a record"
        failure = problem_of(AllRowsRejected(words, where=f"run {run.pk}", hint=hint))
    asked, failed = Run.objects.values_list("rows_asked", "rows_failed").get(pk=run.pk)
    if failed and failed == asked:
        words, hint = f"all {asked:,} rows that were asked for failed", f"look at them: rondine run failures {run.pk}"
        failure = problem_of(ServiceError(words, where=f"run {run.pk}", hint=hint))
    state = "failed" if failure else "done"
    with transaction.atomic():
        if not Run.objects.select_for_update().filter(pk=run.pk, attempt=run.attempt, state="running").exists():
            return  # it is not this worker's to end any more
        if state == "done" and verdict.completeness == "complete":
            remarks += [remark for count in counts for remark in after_all(run, count)]
            if not run.is_dry:
                end_drift(run, timezone.now())
                if not run.content.get("is_partial"):
                    Run.objects.filter(pk=run.pk).update(marks=marks_of(run))
        if run.is_dry:
            remarks += _not_listed(run, counts)
        end_run(
            run.pk,
            run.attempt,
            state=state,
            ending=failure["message"] if failure else verdict.reason,
            completeness=verdict.completeness,
            error=failure,
            remarks=remarks,
        )
        if run.is_dry:
            SeenBatch.objects.filter(run_id=run.pk).delete()
        else:
            tell_of_end(run)
            start_after(run, state, verdict.completeness)
            forget_earlier(run)  # at once with what is gone now: no run may know a row by what was before


def _not_listed(run: Run, counts: list[RunCount]) -> list[Remark]:
    """What a dry run counted and does not list; and earlier ones' lists are over."""
    earlier = Run.objects.filter(feed=run.feed_id, is_dry=True, pk__lt=run.pk)
    PlannedChange.objects.filter(run_id__in=earlier.values("pk")).delete()
    changes = sum(count.created + count.changed + count.gone for count in counts)
    rest = changes - PlannedChange.objects.filter(run_id=run.pk).count()
    return [Remark("not_listed", f"{rest:,} more changes are counted, and not listed one by one")] if rest > 0 else []


def fail_run(run: Run, error: dict[str, Any]) -> None:
    """Ends a run that something stopped; nothing, if it is not this worker's any more."""
    with transaction.atomic():
        if end_run(run.pk, run.attempt, state="failed", ending=error["message"], error=error) and not run.is_dry:
            tell_of_end(run)


def run_total(run: Run) -> int | None:
    return Run.objects.values_list("expected_rows", flat=True).get(pk=run.pk)


def after_all(run: Run, count: RunCount) -> list[Remark]:
    """What a run that saw all tells of its feed's records that no row was for, which are marked as gone unless there is
    a reason against it; their numbers stand with the counts."""
    record_type = RecordType.objects.filter(project=run.project_id, name=count.record_type).first()
    records = RecordSet.objects.filter(environment=run.environment_id, record_type=record_type).first()
    if records is None or not run.brings_all:
        return []
    document = load(RecordTypeDocument, run.content["record_types"][count.record_type])
    filling = Filling(records.pk, run.pk, 0, records.bit_of(str(run.feed_id)), document.history)
    seen = SeenRecords.of(run.pk, records.pk, SeenBatch.objects)
    if len(records.feeds) == 1 and seen.count == records.count:  # all that is there was seen: nothing to look for
        absent = Missing(array("q"), records.count)
    else:
        absent = missing(filling, seen)
    count.unseen = len(absent.ids)
    gone = load(FeedDocument, run.content["feed"]).gone
    remarks = []
    if absent.ids:
        if (remark := _reason_against(run, count, gone, absent)) is None and run.is_dry:
            count.gone, keys = would_go(filling, absent.ids, alive=bits_alive(records), most=MOST_PLANNED)
            plan = partial(PlannedChange, run_id=run.pk, record_type=count.record_type, kind="gone")
            PlannedChange.objects.bulk_create([plan(key=key) for key in keys], batch_size=1000)
            words = f"{count.gone:,} records of {count.record_type} no longer came, and would be marked as gone"
            remark = Remark("gone", words)
        elif remark is None:
            count.gone = mark_gone(filling, absent.ids, timezone.now(), alive=bits_alive(records))
            words = f"{count.gone:,} records of {count.record_type} no longer came, and are marked as gone"
            if others := count.unseen - count.gone:
                words += f"; {others:,} more are still brought by other feeds"
            remark = Remark("gone", words, "they are kept as they were, and come back when their rows do")
        remarks.append(remark)
    count.save(update_fields=["unseen", "gone"])
    return remarks


def _reason_against(run: Run, count: RunCount, gone: Gone, absent: Missing) -> Remark | None:
    """Why records whose rows did not come are not marked as gone; None if nothing speaks against it."""
    number = f"{len(absent.ids):,} records of {count.record_type}"
    if gone.action == "leave":
        words = f"{number} were not among the rows; they stay as they are"
        return Remark("unseen", words, "they may be gone at the service")
    if count.rejected:
        words = f"{number} were not among the rows and are not marked as gone: {count.rejected:,} rows were rejected, "
        return Remark("not_marked", words + "which may be theirs", "mend what rejects them, and run the feed again")
    if len(absent.ids) > max(1, gone.most_share * absent.present) and not run.may_mark_all:
        words = (
            f"{number} were not among the rows and are not marked as gone: they are more than"
            f" {gone.most_share:.0%} of the {absent.present:,} that the feed brought"
        )
        feed = run.feed.name if run.feed else ""
        return Remark("not_marked", words, f"if they are gone: rondine feed run {feed} --mark-all-gone")
    return None
