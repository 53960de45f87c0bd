"""How a run ends: done, or failed if no row was good; and what it did not see."""

from django.db import transaction

from rondine.core.errors import AllRowsRejected
from rondine.server.feeds.scheduling import start_after
from rondine.server.records.keeping import SeenRecords
from rondine.server.records.kinds import users_of_record_types
from rondine.server.records.models import RecordSet, SeenBatch
from rondine.server.runs.actions import end_run
from rondine.server.runs.calls import problem_of
from rondine.server.runs.completeness import Verdict
from rondine.server.runs.models import Run, RunCount
from rondine.server.runs.remarks import Remark, merged, remark_of


def finish_run(run: Run, verdict: Verdict) -> None:
    """Ends a run whose pages are all kept: done, or failed if no row was good. Tells what was not seen, if it saw
    all."""
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
    elif verdict.completeness == "complete":
        remarks += [remark for count in counts if (remark := not_seen(run, count)) is not None]
    state = "failed" if failure else "done"
    with transaction.atomic():
        ended = end_run(
            run.pk,
            run.attempt,
            state=state,
            ending=failure["message"] if failure else verdict.reason,
            completeness=verdict.completeness,
            error=failure,
            remarks=remarks,
        )
        if ended:
            start_after(run, state, verdict.completeness)
    runs = Run.objects.filter(feed=run.feed_id, pk__lte=run.pk)  # earlier ones cannot go on any more
    SeenBatch.objects.filter(run_id__in=runs.values("pk")).delete()


def run_total(run: Run) -> int | None:
    return Run.objects.values_list("expected_rows", flat=True).get(pk=run.pk)


def not_seen(run: Run, count: RunCount) -> Remark | None:
    """The kept records of a type that no row of a complete run was for; their number stands with the counts."""
    found = RecordSet.objects.filter(environment=run.environment_id, record_type__name=count.record_type)
    records = found.filter(record_type__project=run.project_id).first()
    if records is None:
        return None
    count.unseen = max(0, records.count - SeenRecords.of(run.pk, records.pk, SeenBatch.objects).count)
    count.save(update_fields=["unseen"])
    if not count.unseen:
        return None
    feeds = users_of_record_types([records.record_type])[0]
    others = [feed["name"] for feed in feeds if feed["kind"] == "feed" and run.feed and feed["name"] != run.feed.name]
    words = f"{count.unseen:,} kept records of {count.record_type} were not among the rows; they stay as they are"
    if others:
        words += f" (other feeds fill it too: {', '.join(others[:3])})"
    if count.rejected:
        words += f"; {count.rejected:,} rows were rejected, which may be theirs"
    return Remark("unseen", words, "they may be gone at the service")
