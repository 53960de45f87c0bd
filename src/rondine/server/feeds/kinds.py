"""The kind of item of feeds."""

from copy import copy

from rondine.core.errors import DraftError, InputError, Problem, RondineError, did_you_mean
from rondine.core.items.feed import FeedDocument
from rondine.core.items.moving import moving_problems
from rondine.core.items.schedule import AfterFeed, Watch, duration_of, schedule_problems
from rondine.core.mapping.document import RecordTypeDocument, kept_part
from rondine.core.operations.document import OperationDocument, is_reading
from rondine.core.operations.inputs import Input, checked_inputs
from rondine.server.access.models import Person
from rondine.server.connecting.models import Environment
from rondine.server.feeds.models import Feed
from rondine.server.items.kinds import ItemKind
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.mappings.models import Mapping
from rondine.server.operations.adopting import adopt_paging
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.models import Operation
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.releases.configuration import Configuration


def _feed(draft: Feed) -> list[Problem]:
    """Judged by what it would run with: its environment may go by a release."""
    configuration, item = Configuration(draft.environment), copy(draft)
    try:
        item.operation = configuration.item(OPERATIONS, draft.operation)
        item.mapping = configuration.item(MAPPINGS, draft.mapping)
    except DraftError as error:
        return [error.as_problem("/environment")]
    problems = []
    operation = item.operation.loaded()
    feed: FeedDocument = configuration.in_its_names(item.loaded())
    try:
        # what moves is there when it runs
        once = asked_once(feed, operation, configuration.documents(RECORD_TYPES))
        checked_inputs([one for one in once if one.name not in feed.moving], feed.inputs)
    except InputError as error:
        problems += [Problem(f"/inputs{problem.where}", problem.message, problem.hint) for problem in error.problems]
    problems += _kept(item, configuration)
    problems += _moving(item, feed, configuration)
    problems += _for_each(item, feed, configuration)
    if feed.late_after and duration_of(feed.late_after) is None:
        words = f'"{feed.late_after}" is not a duration'
        problems.append(Problem("/late_after", words, "write it as PT6H or P1D (ISO 8601)"))
    schedule = feed.schedule
    for problem in schedule_problems(schedule):
        problems.append(Problem(f"/schedule{problem.where}", problem.message, problem.hint))
    if isinstance(schedule, AfterFeed) and _leads_back(item, schedule):
        words = f"{schedule.feed} runs, in the end, after {item.name}: they would run for ever"
        problems.append(Problem("/schedule/feed", words, "let one of them run at times"))
    if isinstance(schedule, Watch):
        problems += watch_problems(schedule, configuration)
    if not is_reading(operation) or operation.method in ("HEAD", "OPTIONS"):
        problems.append(
            Problem(
                "/operation",
                f"{item.operation.name} is a {operation.method}, and a feed only reads",
                f"take one that reads; if this one does: rondine operation reads {item.operation.name}",
            )
        )
    if item.operation.problems:
        problems.append(
            Problem(
                "/operation",
                f'operation "{item.operation.name}" is not ready: {item.operation.problems[0]["message"]}',
                "mend it first",
            )
        )
    if item.mapping.problems:
        problems.append(
            Problem(
                "/mapping",
                f'mapping "{item.mapping.name}" is not ready: {item.mapping.problems[0]["message"]}',
                "mend it first",
            )
        )
    if item.mapping.service_id != item.operation.service_id:
        problems.append(
            Problem(
                "/mapping",
                f'mapping "{item.mapping.name}" belongs to another service than the operation',
                "take a mapping of the same service",
            )
        )
    return problems


def asked_once(
    feed: FeedDocument, operation: OperationDocument, record_types: dict[str, RecordTypeDocument]
) -> list[Input]:
    """The inputs that no row fills."""
    if feed.for_each is None:
        return operation.inputs
    record_type = record_types.get(feed.for_each.record_type)
    names = (
        {field.name for field in record_type.fields}
        if record_type
        else {name for values in feed.for_each.values for name in values}
    )
    return [one for one in operation.inputs if (one.field or one.name) not in names]


def _for_each(item: Feed, feed: FeedDocument, configuration: Configuration) -> list[Problem]:
    for_each = feed.for_each
    if for_each is None:
        return []
    inputs = item.operation.loaded().inputs
    known = {one.name for one in inputs}
    problems = [
        Problem(f"/for_each/values/{number}/{name}", f'the operation has no input "{name}"', did_you_mean(name, known))
        for number, values in enumerate(for_each.values)
        for name in values
        if name not in known
    ]
    if not for_each.record_type:
        return problems
    record_types = configuration.documents(RECORD_TYPES)
    record_type = record_types.get(for_each.record_type)
    if record_type is not None and record_type.kind != "kept":
        words = f"records of {for_each.record_type} are {record_type.kind}: a feed goes through kept ones"
        problems.append(Problem("/for_each/record_type", words, "take a kept type, or values"))
    if record_type is None:
        hint = did_you_mean(for_each.record_type, record_types) or "make it first"
        return [Problem("/for_each/record_type", f'there is no record type "{for_each.record_type}"', hint)]
    if len(asked_once(feed, item.operation.loaded(), record_types)) == len(inputs):
        words = f"no input of {item.operation.name} is filled by a field of {for_each.record_type}"
        problems.append(Problem("/for_each", words, "name the fields in the operation's inputs (field)"))
    for name in for_each.where:
        field = record_type.field(name.partition(".")[0])
        if field is None or not field.searchable:
            words = f'"{name}" is no searchable field of {for_each.record_type}'
            problems.append(Problem(f"/for_each/where/{name}", words, "mark it searchable in the record type"))
    return problems


def _kept(item: Feed, configuration: Configuration) -> list[Problem]:
    """A feed whose records are all live or passing keeps nothing."""
    try:
        mapping = resolved_mapping(item.project_id, item.mapping.loaded(), configuration=configuration)
    except RondineError:  # the mapping's own problems say why
        return []
    kept, others = kept_part(mapping, configuration.documents(RECORD_TYPES))
    if kept.outputs or not others:
        return []
    words = f"it would keep nothing: {', '.join(others)}"
    return [Problem("/mapping", words, "let the record type be kept, or remove the feed")]


def _moving(item: Feed, feed: FeedDocument, configuration: Configuration) -> list[Problem]:
    if not feed.moving:
        return []
    known = configuration.documents(RECORD_TYPES)
    try:
        outputs = resolved_mapping(item.project_id, item.mapping.loaded(), configuration=configuration).outputs
    except RondineError:  # the mapping's own problems say why
        outputs = []
    filled = {output.record_type: known[output.record_type] for output in outputs if output.record_type in known}
    inputs = {one.name: one for one in item.operation.loaded().inputs}
    problems = moving_problems(feed.moving, inputs, feed.inputs, filled)
    return [Problem(f"/moving{problem.where}", problem.message, problem.hint) for problem in problems]


def watch_problems(watch: Watch, configuration: Configuration) -> list[Problem]:
    """What keeps a watch from ever seeing anything."""
    record_types = configuration.documents(RECORD_TYPES)
    record_type = record_types.get(watch.record_type)
    if record_type is None:
        hint = did_you_mean(watch.record_type, record_types) or "make it first"
        return [Problem("/schedule/record_type", f'there is no record type "{watch.record_type}"', hint)]
    if record_type.kind != "kept":
        words = f"records of {watch.record_type} are {record_type.kind}: their changes are not seen"
        return [Problem("/schedule/record_type", words, "watch a kept type")]
    field = record_type.field(watch.field)
    if field is None:
        hint = did_you_mean(watch.field, [known.name for known in record_type.fields])
        return [Problem("/schedule/field", f'{watch.record_type} has no field "{watch.field}"', hint)]
    problems = []
    if watch.when != "changes" and field.type not in ("integer", "decimal", "date", "datetime"):
        words = f"{field.name} is {field.type}, which neither rises nor falls"
        problems.append(Problem("/schedule/when", words, "let it watch whether it changes"))
    if record_type.history == "none":
        words = f"nothing is written down of what happens to {watch.record_type}"
        hint = f"set its history: rondine record-type make {watch.record_type} --set history=changes"
        problems.append(Problem("/schedule/record_type", words, hint))
    return problems


def _leads_back(item: Feed, schedule: AfterFeed) -> bool:
    """Whether feeds that run after each other form a circle with this one."""
    after = {
        name: document["schedule"]["feed"]
        for name, document in Feed.objects.filter(
            project=item.project_id, document__schedule__type="after_feed"
        ).values_list("name", "document")
    }
    at, passed = schedule.feed, set()
    while at in after and at not in passed and at != item.name:
        passed.add(at)
        at = after[at]
    return at == item.name


def _feed_made(item: Feed, person: Person | None, role: str | None) -> None:
    """A feed brings all rows: its operation follows the paging that its responses have shown."""
    adopt_paging(item.operation, person, role, why=f'recognised when feed "{item.name}" was made')


FEEDS = ItemKind(
    "feeds",
    "feed",
    Feed,
    FeedDocument,
    {"operation": Operation, "mapping": Mapping, "environment": Environment},
    problems=_feed,
    made=_feed_made,
)
