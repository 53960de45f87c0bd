"""The kind of item of webhooks."""

from rondine.core.errors import DraftError, Problem, RondineError, did_you_mean
from rondine.core.items.webhook import Standard, ToFlow, ToRecords, ToRun, WebhookDocument
from rondine.core.mapping.document import condition_problems
from rondine.core.paths import parse_pointer
from rondine.server.connecting.models import Credential, Environment
from rondine.server.feeds.models import Feed
from rondine.server.items.kinds import KINDS, ItemKind
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.mappings.models import Mapping
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.releases.configuration import Configuration
from rondine.server.webhooks.models import Webhook


def _webhook(item: Webhook) -> list[Problem]:
    document: WebhookDocument = item.loaded()
    problems = _credential_problems(item)
    match document.becomes:
        case ToRecords():
            problems += _records_problems(item, document.becomes)
        case ToRun(feed=feed):
            problems += _run_problems(item, feed)
        case ToFlow():
            problems += _flow_problems(item, document.becomes)
    if document.id_header and not isinstance(document.proof, Standard) and document.id_header == "webhook-id":
        words = "only Standard Webhooks send webhook-id"
        hint = "name the header that tells deliveries apart, or leave it blank: their content does then"
        problems.append(Problem("/id_header", words, hint))
    return problems


def _credential_problems(item: Webhook) -> list[Problem]:
    if item.credential is None:
        hint = "make a credential with a signing_key, and name it"
        return [Problem("/credential", "nothing tells who sends", hint)]
    if "signing_key" not in item.credential.names:
        words = f'credential "{item.credential.name}" has no signing_key'
        return [Problem("/credential", words, "set it: the key that the service shows beside the webhook")]
    if item.credential.environment_id != item.environment_id:
        return [Problem("/credential", "it belongs to another environment", "take one of the same")]
    return []


def _records_problems(item: Webhook, becomes: ToRecords) -> list[Problem]:
    mappings = Mapping.objects.filter(project=item.project_id)
    mapping = mappings.filter(name=becomes.mapping).first()
    if mapping is None:
        hint = did_you_mean(becomes.mapping, mappings.values_list("name", flat=True)) or "make it first"
        return [Problem("/becomes/mapping", f'there is no mapping "{becomes.mapping}"', hint)]
    configuration = Configuration(item.environment)
    try:
        mapping = configuration.item(MAPPINGS, mapping)
    except DraftError as error:
        return [error.as_problem("/environment")]
    if mapping.problems:
        words = f'mapping "{mapping.name}" is not ready: {mapping.problems[0]["message"]}'
        return [Problem("/becomes/mapping", words, "mend it first")]
    problems = [
        problem
        for number, condition in enumerate(becomes.removed_when)
        for problem in condition_problems(condition, f"/becomes/removed_when/{number}")
    ]
    if becomes.newest_by:
        known = configuration.documents(RECORD_TYPES)
        try:
            resolved = resolved_mapping(item.project_id, mapping.loaded(), configuration=configuration)
            filled = [output.record_type for output in resolved.outputs]
        except RondineError as error:
            return [error.as_problem("/becomes/mapping")]
        for name in filled:
            field = known[name].field(becomes.newest_by) if name in known else None
            if field is None or field.type not in ("date", "datetime", "integer", "decimal"):
                words = f"{name} has no date, time or number called {becomes.newest_by}"
                problems.append(Problem("/becomes/newest_by", words, "name one, and let the mapping fill it"))
    return problems


def _run_problems(item: Webhook, name: str) -> list[Problem]:
    feeds = Feed.objects.filter(project=item.project_id)
    feed = feeds.filter(name=name).first()
    if feed is None:
        hint = did_you_mean(name, feeds.values_list("name", flat=True)) or "make it first"
        return [Problem("/becomes/feed", f'there is no feed "{name}"', hint)]
    if feed.environment_id != item.environment_id:
        return [Problem("/becomes/feed", f"{name} runs in another environment", "take one of the same")]
    return []


def _flow_problems(item: Webhook, becomes: ToFlow) -> list[Problem]:
    problems = []
    for name, pointer in becomes.inputs.items():
        try:
            parse_pointer(pointer)
        except RondineError as error:
            problems.append(error.as_problem(f"/becomes/inputs/{name}"))
    if not becomes.flow:
        return problems
    flows = KINDS["flows"].model._default_manager.filter(project=item.project_id)
    flow = flows.filter(name=becomes.flow).first()
    if flow is None:
        hint = did_you_mean(becomes.flow, flows.values_list("name", flat=True)) or "make it first"
        return [*problems, Problem("/becomes/flow", f'there is no flow "{becomes.flow}"', hint)]
    known = [one.name for one in flow.loaded().inputs]
    return problems + [
        Problem(f"/becomes/inputs/{name}", f'{becomes.flow} has no input "{name}"', did_you_mean(name, known))
        for name in becomes.inputs
        if name not in known
    ]


WEBHOOKS = ItemKind(
    "webhooks",
    "webhook",
    Webhook,
    WebhookDocument,
    {"environment": Environment, "credential": Credential},
    optional=frozenset({"credential"}),
    problems=_webhook,
)
