"""What the API responds with, written by tools/client_types.py from docs/openapi.json, not by hand."""

from __future__ import annotations

from typing import Any, Literal, NotRequired, TypedDict


class AcceptedDrift(TypedDict):
    kind: Literal["changed", "missing", "new", "unseen"]
    path: str
    words: str


class AddressParts(TypedDict):
    base_address: str
    difference: str
    findings: list[FindingItem]
    joined: str
    name: str
    operation: OperationDocument
    title: str


class AdoptedPaging(TypedDict):
    operation: str
    paging: (
        LinkHeader
        | NextAddress
        | PageNumber
        | Offset
        | Cursor
        | GraphqlConnection
        | Keyset
        | Windows
        | OneResponse
        | None
    )
    reason: str


class Affix(TypedDict):
    prefix: NotRequired[str]
    suffix: NotRequired[str]
    type: Literal["affix"]


class AfterFeed(TypedDict):
    enabled: NotRequired[bool]
    feed: str
    type: Literal["after_feed"]
    when: NotRequired[Literal["complete", "done"]]


class Aggregate(TypedDict):
    function: Literal["count", "max", "min", "sum"]
    type: Literal["aggregate"]


class Ago(TypedDict):
    span: str
    time_zone: NotRequired[str]
    type: Literal["ago"]


class All(TypedDict):
    type: Literal["all"]


class AlternativeItem(TypedDict):
    members: list[str]
    value: str


class AlternativesItem(TypedDict):
    field: str
    values: list[AlternativeItem]


class ApiKey(TypedDict):
    carrier: NotRequired[Literal["body", "cookie", "header", "query"]]
    name: str
    secret_name: NotRequired[str]
    type: Literal["api_key"]


class Application(TypedDict):
    changed_at: str
    document: ApplicationDocument
    environment: str
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    tokens: int
    used_at: str | None
    version: int


class ApplicationDocument(TypedDict):
    all_flows: NotRequired[bool]
    all_operations: NotRequired[bool]
    all_record_types: NotRequired[bool]
    callbacks: NotRequired[list[str]]
    callers: NotRequired[CallerRule | None]
    calls_a_minute: NotRequired[int | None]
    description: NotRequired[str]
    enabled: NotRequired[bool]
    flows: NotRequired[list[str]]
    keeps_responses: NotRequired[bool]
    may_write: NotRequired[bool]
    most_upload_bytes: NotRequired[int]
    operations: NotRequired[list[str]]
    record_types: NotRequired[list[str]]
    session_hours: NotRequired[float]
    time_limit: NotRequired[float]


class ApplicationForms(TypedDict):
    document: FormShown


class ApplicationPage(TypedDict):
    items: list[Application]
    next: str | None


class ApplicationToken(TypedDict):
    by: str | None
    expires_at: str | None
    id: int
    made_at: str
    title: str
    used_at: str | None


class Approval(TypedDict):
    people: NotRequired[list[str]]
    question: str
    roles: NotRequired[list[Literal["administrator", "builder", "operator"]]]
    shows: NotRequired[dict[str, FlowSource]]


class ArazzoItem(TypedDict):
    document: Any
    sources: dict[str, Any]
    unsaid: list[ProblemItem]


class Arithmetic(TypedDict):
    add: NotRequired[str | None]
    digits: NotRequired[int | None]
    divide: NotRequired[str | None]
    multiply: NotRequired[str | None]
    type: Literal["arithmetic"]


class Ask(TypedDict):
    flow: NotRequired[str]
    inputs: NotRequired[dict[str, FlowSource]]
    mapping: NotRequired[str]
    operation: NotRequired[str]
    record_type: NotRequired[str]
    undo: NotRequired[Asked | None]


class AskStep(TypedDict):
    ask: NotRequired[Ask | None]
    description: NotRequired[str]
    each: NotRequired[Each | None]
    gather: NotRequired[Gather | None]
    keep: NotRequired[list[KeepValue]]
    name: str
    on_failure: NotRequired[list[GoOn | Instead | Repeat]]
    only: NotRequired[Only | None]
    success: NotRequired[All | WhatSucceeds | AtLeast | First]
    time_limit: NotRequired[float | None]
    title: NotRequired[str]
    together: NotRequired[list[Branch]]
    type: Literal["ask"]


class Asked(TypedDict):
    flow: NotRequired[str]
    inputs: NotRequired[dict[str, FlowSource]]
    mapping: NotRequired[str]
    operation: NotRequired[str]
    record_type: NotRequired[str]


class At(TypedDict):
    jsonpath: NotRequired[str | None]
    pointer: NotRequired[str | None]
    xpath: NotRequired[str | None]


class AtLeast(TypedDict):
    count: int
    type: Literal["at_least"]


class AuthorizationCode(TypedDict):
    algorithm: NotRequired[
        Literal[
            "ES256",
            "ES384",
            "ES512",
            "EdDSA",
            "HS256",
            "HS384",
            "HS512",
            "PS256",
            "PS384",
            "PS512",
            "RS256",
            "RS384",
            "RS512",
        ]
    ]
    audience: NotRequired[str]
    authorization_address: NotRequired[str]
    client_authentication: NotRequired[Literal["basic", "body", "client_secret_jwt", "none", "private_key_jwt", "tls"]]
    client_id: NotRequired[str]
    extra: NotRequired[list[ExtraParameter]]
    issuer: NotRequired[str]
    key_id: NotRequired[str]
    resource: NotRequired[str]
    scope: NotRequired[str]
    token_address: NotRequired[str]
    type: Literal["authorization_code"]


class Basic(TypedDict):
    type: Literal["basic"]
    user_name: NotRequired[str]


class Bearer(TypedDict):
    prefix: NotRequired[str]
    type: Literal["bearer"]


class Binding(TypedDict):
    changed_at: str
    document: BindingDocument
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    version: int


class BindingDocument(TypedDict):
    change: NotRequired[RoleBinding | None]
    create: NotRequired[RoleBinding | None]
    description: NotRequired[str]
    find: NotRequired[RoleBinding | None]
    list: NotRequired[ListBinding | None]
    mapping: str
    max_age: NotRequired[int]
    most_local: NotRequired[int]
    record_type: str
    remove: NotRequired[RoleBinding | None]
    replace: NotRequired[RoleBinding | None]
    stale_for: NotRequired[int]


class BindingPage(TypedDict):
    items: list[Binding]
    next: str | None


class BindingProposal(TypedDict):
    candidates: list[RoleCandidates]
    document: BindingDocument
    mappings: list[str]
    problems: list[ProblemItem]


class BodyChoiceShown(TypedDict):
    document: OperationDocument


class Bounds(TypedDict):
    exclusive_maximum: NotRequired[int | float | None]
    exclusive_minimum: NotRequired[int | float | None]
    format: NotRequired[str]
    max_length: NotRequired[int | None]
    maximum: NotRequired[int | float | None]
    min_length: NotRequired[int | None]
    minimum: NotRequired[int | float | None]
    pattern: NotRequired[str]


class Branch(TypedDict):
    flow: NotRequired[str]
    inputs: NotRequired[dict[str, FlowSource]]
    mapping: NotRequired[str]
    name: str
    operation: NotRequired[str]
    record_type: NotRequired[str]
    undo: NotRequired[Asked | None]


class BreakerPolicy(TypedDict):
    during: NotRequired[float]
    failures: NotRequired[int]
    first_rest: NotRequired[float]
    max_rest: NotRequired[float]


class ByEmail(TypedDict):
    to: list[str]
    type: Literal["email"]


class ByWebhook(TypedDict):
    address: str
    batch: NotRequired[int]
    type: Literal["webhook"]


class BytesBody(TypedDict):
    content: NotRequired[str | list[str | ValueOf] | ValueOf]
    media_type: NotRequired[str]
    type: Literal["bytes"]


class CalendarShown(TypedDict):
    end: str
    feeds: list[FeedDaysItem]
    is_all: bool
    now: str
    start: str


class Call(TypedDict):
    at: str
    body: str | None
    by: str
    error: Error | None
    headers: list[list[str]]
    method: str
    number: int
    operation: str
    purpose: str
    reason: str
    request: str
    rows: int | None
    size: int | None
    status: int | None
    task: str
    timings: Timing | None
    url: str
    via: str


class CallExamples(TypedDict):
    http: str
    python: str
    typescript: str


class CallPage(TypedDict):
    items: list[Call]
    next: str | None


class CallReply(TypedDict):
    all_why: str
    body: NotRequired[Any]
    content: NotRequired[str]
    filtered: NotRequired[int]
    is_all: bool | None
    media_type: NotRequired[str]
    message: str
    next: str | None
    outcome: Literal["good", "partial", "nothing_found"]
    records: NotRequired[dict[str, list[dict[str, Any]]]]
    rejects: NotRequired[list[dict[str, Any]]]
    run: str
    status: int


class CallRun(TypedDict):
    ended_at: str | None
    flow: str
    message: str
    number: int
    operation: str
    queued_at: str
    reply: dict[str, Any] | None
    run: str
    started_at: str | None
    state: Literal["queued", "running", "waiting", "done", "failed", "cancelled"]
    waits_for: list[dict[str, Any]]


class Callback(TypedDict):
    matches: NotRequired[list[CallbackMatch]]
    webhook: NotRequired[str]


class CallbackMatch(TypedDict):
    at: str | At
    equals: FlowSource


class CallerIdentity(TypedDict):
    algorithm: NotRequired[
        Literal[
            "ES256",
            "ES384",
            "ES512",
            "EdDSA",
            "HS256",
            "HS384",
            "HS512",
            "PS256",
            "PS384",
            "PS512",
            "RS256",
            "RS384",
            "RS512",
        ]
    ]
    audience: NotRequired[str]
    form: NotRequired[Literal["plain", "signed"]]
    header: str
    issuer: NotRequired[str]
    key_id: NotRequired[str]
    prefix: NotRequired[str]


class CallerRule(TypedDict):
    field: str
    record_type: str
    values: list[str]


class CameFrom(TypedDict):
    definition: str
    key: NotRequired[str]
    pointer: NotRequired[str]


class Case(TypedDict):
    to: Literal["first", "lower", "upper"]
    type: Literal["case"]


class CaseDifference(TypedDict):
    after: str
    before: str
    kind: Literal["added", "removed", "changed", "retyped", "reordered"]
    path: str
    words: str


class CaseDocument(TypedDict):
    description: NotRequired[str]
    expected: NotRequired[Expected]
    flow: NotRequired[str]
    inputs: NotRequired[dict[str, Any]]
    mapping: NotRequired[str]
    operation: NotRequired[str]
    recording: NotRequired[Recording | None]
    sample: NotRequired[str]
    standing: NotRequired[dict[str, Any]]


class Challenge(TypedDict):
    member: NotRequired[str]
    parameter: NotRequired[str]


class ChangeItem(TypedDict):
    differences: list[DifferenceItem]
    key: str
    kind: Literal["added", "removed", "changed"]
    name: str
    title: str
    used_by: list[str]


class ChangesShown(TypedDict):
    history: Literal["none", "changes", "all"]
    is_all: bool
    items: list[RecordChangeItem]
    next: str


class CheckResult(TypedDict):
    at: str
    by: str
    by_worker: bool
    steps: list[CheckStep]
    works: bool


class CheckStep(TypedDict):
    hint: str
    is_good: bool
    ms: float | None
    step: str
    words: str


class CheckedCase(TypedDict):
    case: str
    differences: list[CaseDifference]
    hint: str
    is_good: bool
    problem: str


class ClientCertificate(TypedDict):
    type: Literal["client_certificate"]


class ClientCredentials(TypedDict):
    algorithm: NotRequired[
        Literal[
            "ES256",
            "ES384",
            "ES512",
            "EdDSA",
            "HS256",
            "HS384",
            "HS512",
            "PS256",
            "PS384",
            "PS512",
            "RS256",
            "RS384",
            "RS512",
        ]
    ]
    audience: NotRequired[str]
    client_authentication: NotRequired[Literal["basic", "body", "client_secret_jwt", "none", "private_key_jwt", "tls"]]
    client_id: NotRequired[str]
    key_id: NotRequired[str]
    resource: NotRequired[str]
    scope: NotRequired[str]
    token_address: NotRequired[str]
    type: Literal["client_credentials"]


class ComparisonItem(TypedDict):
    name: str
    takes: Literal["value", "list", "nothing"]
    words: str


class ComparisonOfBodies(TypedDict):
    differences: list[ValueDifferenceItem]
    is_all: bool


class ComparisonOfStructures(TypedDict):
    differences: list[StructureDifferenceItem]
    is_all: bool


class ComparisonShown(TypedDict):
    changes: list[ChangeItem]
    format: str
    hash: str
    left_out: list[ProblemItem]
    title: str
    unchanged: int
    version: str
    warnings: list[ProblemItem]


Condition = TypedDict(
    "Condition",
    {
        "from": "str | Source",
        "is": "NotRequired[Literal['absent', 'at_least', 'at_most', 'equal', 'less', 'matches', 'more', 'none_of', 'not_equal', 'one_of', 'present']]",
        "value": "NotRequired[Any]",
    },
)


class Connected(TypedDict):
    connection: str
    credential: str | None
    operation: str | None


class Connection(TypedDict):
    callback_path: str
    changed_at: str
    check_result: Any
    credential: str | None
    document: ConnectionDocument
    environment: str
    id: str
    name: str
    own_secret_names: dict[str, list[str]]
    own_secret_origins: dict[str, list[str]]
    problems: list[ProblemItem]
    secret_names: list[str]
    secret_origins: list[str]
    service: str
    title: str
    version: int
    warnings: list[ProblemItem]


class ConnectionDocument(TypedDict):
    base_address: NotRequired[str]
    blanks: NotRequired[dict[str, str]]
    breaker: NotRequired[BreakerPolicy | None]
    caller: NotRequired[CallerIdentity | None]
    callers_sign_in: NotRequired[bool]
    documentation: NotRequired[str]
    enabled: NotRequired[bool]
    further_origins: NotRequired[list[str]]
    headers: NotRequired[list[StandingParameter]]
    limits: NotRequired[list[Limit]]
    most_bytes: NotRequired[int]
    own_sign_ins: NotRequired[list[OwnSignIn]]
    parallel: NotRequired[int | None]
    proxy: NotRequired[ProxySettings]
    query: NotRequired[list[StandingParameter]]
    retrying: NotRequired[RetryPolicy]
    sign_in: NotRequired[
        NoSignIn
        | ApiKey
        | Bearer
        | Basic
        | Digest
        | ClientCertificate
        | ClientCredentials
        | AuthorizationCode
        | JwtBearer
        | PasswordGrant
        | SignInOperation
        | UserNameToken
        | SoapHeader
    ]
    site: NotRequired[str]
    supports: NotRequired[list[Literal["copy", "live", "write"]]]
    time_outs: NotRequired[TimeOuts]
    tls: NotRequired[TlsSettings]


class ConnectionForms(TypedDict):
    parts: list[PartForm]
    sign_in: list[FormShown]


class ConnectionPage(TypedDict):
    items: list[Connection]
    next: str | None


class ConsentAddress(TypedDict):
    address: str
    callback: str


class ConversionForm(TypedDict):
    fields: list[FormFieldItem]
    fits: list[str]
    may_be_none: bool
    title: str
    type: str
    words: str


class CopyMade(TypedDict):
    mapping: str | None
    name: str
    samples: list[str]


class Correction(TypedDict):
    keys: NotRequired[Literal["data", "names"] | None]
    name: NotRequired[str | None]
    path: str
    type: NotRequired[Literal["boolean", "date", "datetime", "decimal", "integer", "json", "text"] | None]


class CoverageShown(TypedDict):
    losses: list[LossItem]
    open: list[str]
    unused: list[str]


class Credential(TypedDict):
    changed_at: str
    document: CredentialDocument
    environment: str
    has_second: bool
    id: str
    name: str
    names: list[str]
    origins: list[str]
    problems: list[ProblemItem]
    second_set_at: str | None
    set_at: str | None
    title: str
    version: int


class CredentialDocument(TypedDict):
    description: NotRequired[str]


class CredentialPage(TypedDict):
    items: list[Credential]
    next: str | None


class Cron(TypedDict):
    enabled: NotRequired[bool]
    expression: str
    jitter: NotRequired[int]
    quiet_from: NotRequired[str]
    quiet_until: NotRequired[str]
    time_zone: NotRequired[str]
    type: Literal["cron"]


class Cursor(TypedDict):
    at: NotRequired[str]
    header: NotRequired[str]
    input: NotRequired[str]
    max_pages: NotRequired[int]
    more: NotRequired[str | None]
    type: Literal["cursor"]


class DateOf(TypedDict):
    patterns: list[str]
    type: Literal["date"]


class DecideStep(TypedDict):
    description: NotRequired[str]
    name: str
    only: NotRequired[Only | None]
    otherwise: NotRequired[list[AskStep | RecordsStep | DecideStep | PauseStep | EndStep]]
    title: NotRequired[str]
    type: Literal["decide"]
    ways: NotRequired[list[Way]]


class Default(TypedDict):
    type: Literal["default"]
    value: str


class Definition(TypedDict):
    changed_at: str
    document: DefinitionDocument
    id: str
    name: str
    operations: list[str]
    problems: list[ProblemItem]
    schemas: int
    service: str
    title: str
    version: int


class DefinitionDocument(TypedDict):
    address: NotRequired[str]
    documentation: NotRequired[str]
    files: NotRequired[list[str]]
    format: NotRequired[str]
    hash: NotRequired[str]
    main: NotRequired[str]
    part: NotRequired[str]
    roots: NotRequired[list[str]]
    title: NotRequired[str]
    version: NotRequired[str]


class DefinitionPage(TypedDict):
    items: list[Definition]
    next: str | None


class DefinitionShown(TypedDict):
    description: str
    documentation: str
    files: list[str]
    format: str
    hash: str
    left_out: list[ProblemItem]
    look: str
    main: str
    operations: list[OfferedOperation]
    part: str
    parts: list[PartSummary]
    record_types: list[OfferedType]
    roots: list[str]
    schemas: int
    servers: list[OfferedServer]
    sign_ins: list[OfferedSignIn]
    size: int
    title: str
    version: str
    warnings: list[ProblemItem]


class Delivery(TypedDict):
    at: str
    body: str
    call: int | None
    error: Error | None
    id: int
    mark: str
    repeated: int
    run: int | None
    size: int
    state: Literal["waiting", "done", "failed"]


class DeliveryPage(TypedDict):
    items: list[Delivery]
    next: str | None


class DifferenceItem(TypedDict):
    before: Any
    is_kept: bool
    now: Any
    unit: str


class Digest(TypedDict):
    type: Literal["digest"]
    user_name: NotRequired[str]


class Drift(TypedDict):
    adopted_at: str | None
    adopted_by: str | None
    call: int
    ended_at: str | None
    ended_run: int | None
    example: str
    feed: str
    first_at: str
    first_run: int
    id: int
    kind: Literal["new", "missing", "changed", "unseen"]
    last_at: str
    last_run: int
    on_file: str
    operation: str
    path: str
    state: Literal["open", "ended", "adopted"]
    used_by: list[str]
    words: str


class DriftPage(TypedDict):
    items: list[Drift]
    next: str | None


class Each(TypedDict):
    ask: Ask
    at_once: NotRequired[int]
    most: NotRequired[int]
    of: FlowSource


class EffectiveParameter(TypedDict):
    name: str
    place: str
    source: str
    value: str


class EndStep(TypedDict):
    description: NotRequired[str]
    fail: NotRequired[FlowSource | None]
    name: str
    only: NotRequired[Only | None]
    reply: NotRequired[dict[str, FlowSource] | None]
    title: NotRequired[str]
    type: Literal["end"]


class Environment(TypedDict):
    bodies_days: int | None
    callback: str
    callback_path: str
    callback_proven_at: str | None
    connections: int
    description: str
    is_protected: bool
    missing: list[ProblemItem]
    name: str
    release: int | None
    runs_days: int | None
    title: str


class Epoch(TypedDict):
    type: Literal["epoch"]
    unit: NotRequired[Literal["milliseconds", "seconds"]]


class Error(TypedDict):
    code: str
    hint: str
    message: str
    where: str


class Event(TypedDict):
    application: str
    at: str
    environment: str
    feed: str
    flow: str
    hint: str
    id: int
    kind: Literal[
        "failed",
        "recovered",
        "incomplete",
        "drift",
        "not_marked",
        "late",
        "refused",
        "ended",
        "call_ended",
        "flow_asks",
        "flow_doubt",
        "flow_failed",
        "flow_ended",
        "flow_refused",
    ]
    message: str
    run: int | None


class EventPage(TypedDict):
    items: list[Event]
    next: str | None


class Expand(TypedDict):
    expand: NotRequired[list[Expand]]
    filter: NotRequired[list[OdataCondition]]
    order: NotRequired[list[Order]]
    property: str
    select: NotRequired[list[str]]
    top: NotRequired[int | None]


class Expected(TypedDict):
    asked: NotRequired[dict[str, dict[str, Any]]]
    failure: NotRequired[dict[str, Any] | None]
    filtered: NotRequired[int]
    message: NotRequired[str]
    outcome: NotRequired[Literal["failure", "good", "nothing_found", "partial"]]
    records: NotRequired[dict[str, list[dict[str, Any]]]]
    rejects: NotRequired[list[str]]
    reply: NotRequired[dict[str, Any] | None]
    request: NotRequired[str]
    undone: NotRequired[list[str]]


class ExportShown(TypedDict):
    document: Any
    unsaid: list[ProblemItem]


class ExtraParameter(TypedDict):
    name: str
    value: NotRequired[str]


class Extract(TypedDict):
    expression: str
    type: Literal["extract"]


class FactItem(TypedDict):
    hint: str
    name: str
    source: str
    title: str
    value: str


class FailureRule(TypedDict):
    message: NotRequired[str | Source | None]
    text: NotRequired[str]
    when: NotRequired[list[DocumentCondition]]


class FedOutput(TypedDict):
    document: RecordTypeDocument
    is_all: bool
    record_type: str
    shown: list[FedRow]


class FedRow(TypedDict):
    data: dict[str, Any] | None
    fields: list[FieldPlace]
    ordinal: int
    path: str
    pointer: str
    problems: list[FieldProblemItem]
    record: RecordOfRow | None


class FedShown(TypedDict):
    call: Call
    note: str
    outputs: list[FedOutput]


class Feed(TypedDict):
    changed_at: str
    document: FeedDocument
    due_at: str | None
    environment: str
    id: str
    last_run: LastRun | None
    mapping: str
    moving_words: dict[str, str]
    name: str
    operation: str
    paging: (
        LinkHeader
        | NextAddress
        | PageNumber
        | Offset
        | Cursor
        | GraphqlConnection
        | Keyset
        | Windows
        | OneResponse
        | None
    )
    problems: list[ProblemItem]
    refusal: RefusalItem | None
    release: int | None
    schedule_words: str
    title: str
    version: int


class FeedDaysItem(TypedDict):
    due: list[str]
    environment: str
    feed: str
    is_cut: bool
    ran: list[RanItem]
    schedule_words: str


class FeedDocument(TypedDict):
    description: NotRequired[str]
    drift: NotRequired[Literal["note", "stop", "warn"]]
    for_each: NotRequired[ForEach | None]
    gone: NotRequired[Gone]
    inputs: NotRequired[dict[str, Any]]
    late_after: NotRequired[str]
    moving: NotRequired[dict[str, Ago | SinceLastRun | FromHighest]]
    parallel: NotRequired[int]
    retrying: NotRequired[RetryPolicy | None]
    schedule: NotRequired[Cron | Interval | AfterFeed | Watch | None]


class FeedForms(TypedDict):
    for_each: FormShown
    gone: FormShown
    moving: list[FormShown]
    retrying: FormShown
    schedules: list[FormShown]


class FeedPage(TypedDict):
    items: list[Feed]
    next: str | None


class FieldItem(TypedDict):
    description: str
    has_fields: bool
    is_taken: bool
    name: str
    type: str


class FieldPlace(TypedDict):
    field: str
    note: str
    pointer: str | None


class FieldProblemItem(TypedDict):
    field: str
    path: str
    reason: str


class FieldProfileShown(TypedDict):
    by: Literal["value", "range"]
    distinct: int
    least: str | None
    missing: int
    most: str | None
    name: str
    parts: list[ProfilePart]
    type: str


FieldRule = TypedDict(
    "FieldRule",
    {
        "convert": "NotRequired[list[Number | Arithmetic | DateOf | MomentOf | Epoch | YesNo | Table | Default | Trim | Case | Replace | Extract | Split | Join | Substring | Affix | Pick | Aggregate | Read | Write]]",
        "default": "NotRequired[Any]",
        "from": "str | Source",
        "name": "str",
        "on_failure": "NotRequired[Literal['empty', 'reject', 'stop']]",
        "required": "NotRequired[bool]",
        "type": "NotRequired[Literal['boolean', 'date', 'datetime', 'decimal', 'integer', 'json', 'text'] | None]",
        "unit": "NotRequired[str | Source | None]",
    },
)


class FieldUse(TypedDict):
    compare: list[str]
    field: str
    is_changed: bool
    is_created: bool
    is_sorted: bool


class FieldsShown(TypedDict):
    cost: int
    count: int
    depth: int
    fields: list[FieldItem]
    problems: list[ProblemItem]
    query: str


class FilledFlow(TypedDict):
    document: FlowDocument


class FilterInput(TypedDict):
    compare: NotRequired[Literal["begins", "equal", "from", "to"]]
    convert: NotRequired[
        list[
            Number
            | Arithmetic
            | DateOf
            | MomentOf
            | Epoch
            | YesNo
            | Table
            | Default
            | Trim
            | Case
            | Replace
            | Extract
            | Split
            | Join
            | Substring
            | Affix
            | Pick
            | Aggregate
            | Read
            | Write
        ]
        | None
    ]
    field: str
    input: str


class FindingItem(TypedDict):
    kind: str
    name: str
    place: str
    reason: str


class First(TypedDict):
    type: Literal["first"]


class FixedValueItem(TypedDict):
    becomes: Literal["input", "standing value"]
    is_guess: bool
    item: str
    kind: Literal["operation", "mapping"]
    name: str
    place: str
    value: str
    version: int


class FixedValuesShown(TypedDict):
    is_all: bool
    items: list[FixedValueItem]


class Flow(TypedDict):
    changed_at: str
    document: FlowDocument
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    version: int
    warnings: list[ProblemItem]


FlowCondition = TypedDict(
    "FlowCondition",
    {
        "from": "FlowSource",
        "is": "NotRequired[Literal['absent', 'at_least', 'at_most', 'equal', 'less', 'matches', 'more', 'none_of', 'not_equal', 'one_of', 'present'] | Literal['of_kind']]",
        "than": "NotRequired[FlowSource | None]",
        "value": "NotRequired[Any]",
    },
)


class FlowDocument(TypedDict):
    description: NotRequired[str]
    enabled: NotRequired[bool]
    inputs: NotRequired[list[Input]]
    reply: NotRequired[list[ReplyMember]]
    steps: NotRequired[list[AskStep | RecordsStep | DecideStep | PauseStep | EndStep]]
    time_limit: NotRequired[float | None]
    version: NotRequired[Literal[1]]


class FlowOffersItem(TypedDict):
    offers: list[OfferItem]
    openings: list[OpeningItem]
    place: str
    results: list[FlowResultItem]


class FlowPage(TypedDict):
    items: list[Flow]
    next: str | None


class FlowReply(TypedDict):
    flow: str
    reply: dict[str, Any]
    run: str


class FlowResultItem(TypedDict):
    at: Any
    name: str
    records: str
    title: str
    type: str


class FlowRunShown(TypedDict):
    document: FlowDocument
    failure: Any
    kept: Any
    pauses: list[PauseItem]
    reply: Any
    results: Any
    tasks: list[TaskItem]
    undone: list[str]


class FlowRunsCompared(TypedDict):
    document: list[ValueDifferenceItem]
    end: list[ValueDifferenceItem]
    first: int
    inputs: list[ValueDifferenceItem]
    second: int
    tasks: list[TaskPairItem]


class FlowSchedule(TypedDict):
    changed_at: str
    document: FlowScheduleDocument
    due_at: str | None
    environment: str
    id: str
    last_run: LastRun | None
    name: str
    problems: list[ProblemItem]
    refusal: RefusalItem | None
    schedule_words: str
    title: str
    version: int


class FlowScheduleDocument(TypedDict):
    description: NotRequired[str]
    flow: str
    from_record: NotRequired[dict[str, str]]
    inputs: NotRequired[dict[str, Any]]
    overlaps: NotRequired[bool]
    schedule: Cron | Interval | AfterFeed | Watch


class FlowSchedulePage(TypedDict):
    items: list[FlowSchedule]
    next: str | None


class FlowSource(TypedDict):
    all: NotRequired[bool]
    at: NotRequired[str | At]
    caller: NotRequired[bool]
    convert: NotRequired[
        list[
            Number
            | Arithmetic
            | DateOf
            | MomentOf
            | Epoch
            | YesNo
            | Table
            | Default
            | Trim
            | Case
            | Replace
            | Extract
            | Split
            | Join
            | Substring
            | Affix
            | Pick
            | Aggregate
            | Read
            | Write
        ]
    ]
    failure: NotRequired[bool]
    first_of: NotRequired[list[FlowSource] | None]
    input: NotRequired[str | None]
    item: NotRequired[bool]
    joined: NotRequired[list[FlowSource] | None]
    kept: NotRequired[str | None]
    members: NotRequired[dict[str, FlowSource] | None]
    position: NotRequired[bool]
    result: NotRequired[str | None]
    several: NotRequired[list[FlowSource] | None]
    standing: NotRequired[str | None]
    undone: NotRequired[bool]
    value: NotRequired[Any]


class ForEach(TypedDict):
    record_type: NotRequired[str]
    stop_after: NotRequired[int]
    values: NotRequired[list[dict[str, Any]]]
    where: NotRequired[dict[str, str]]


class FormBody(TypedDict):
    fields: NotRequired[list[Parameter]]
    optional: NotRequired[bool]
    required: NotRequired[list[str]]
    type: Literal["form"]


class FormFieldItem(TypedDict):
    choices: list[str]
    default: Any
    help: str
    is_rare: bool
    is_required: bool
    kind: Literal[
        "text", "long_text", "choice", "choices", "integer", "number", "boolean", "list", "integers", "map", "json"
    ]
    name: str
    title: str


class FormShown(TypedDict):
    fields: list[FormFieldItem]
    may_be_none: bool
    title: str
    type: str
    words: str


class FoundItem(TypedDict):
    environment: str
    key: str
    kind: str
    name: str
    record_type: str
    text: str
    title: str
    where: str
    word: str


class FromHighest(TypedDict):
    field: str
    first: NotRequired[Any]
    overlap: NotRequired[str]
    record_type: str
    time_zone: NotRequired[str]
    type: Literal["from_highest"]


class Gather(TypedDict):
    origin: NotRequired[str]
    record_type: str


class GoOn(TypedDict):
    kinds: NotRequired[list[str]]
    type: Literal["go_on"]


class Gone(TypedDict):
    action: NotRequired[Literal["leave", "mark"]]
    most_share: NotRequired[float]


class GraphQLBody(TypedDict):
    kind: NotRequired[Literal["mutation", "query"]]
    one_line: NotRequired[bool]
    operation_name: NotRequired[str]
    prepared: NotRequired[str]
    query: NotRequired[str]
    type: Literal["graphql"]
    variables: NotRequired[list[Member]]


class GraphqlConnection(TypedDict):
    at: str
    input: NotRequired[str]
    max_pages: NotRequired[int]
    type: Literal["graphql_connection"]


class Hmac(TypedDict):
    algorithm: NotRequired[Literal["sha1", "sha256", "sha512"]]
    header: str
    joined_by: NotRequired[str]
    prefix: NotRequired[str]
    time_header: NotRequired[str]
    type: Literal["hmac"]


class Host(TypedDict):
    host: str
    id: int
    is_private: NotRequired[bool]
    port: NotRequired[int | None]


class ImportMade(TypedDict):
    connection: str | None
    credential: str | None
    definition: str
    notes: list[str]
    operations: list[str]
    others: list[ImportSummary]
    record_types: list[str]
    secrets_needed: list[str]
    service: str


class ImportSummary(TypedDict):
    connection: str | None
    credential: str | None
    definition: str
    notes: list[str]
    operations: list[str]
    record_types: list[str]
    secrets_needed: list[str]
    service: str


class Input(TypedDict):
    allowed: NotRequired[list[str | int]]
    bounds: NotRequired[Bounds]
    convert: NotRequired[
        list[
            Number
            | Arithmetic
            | DateOf
            | MomentOf
            | Epoch
            | YesNo
            | Table
            | Default
            | Trim
            | Case
            | Replace
            | Extract
            | Split
            | Join
            | Substring
            | Affix
            | Pick
            | Aggregate
            | Read
            | Write
        ]
    ]
    default: NotRequired[Any]
    description: NotRequired[str]
    field: NotRequired[str]
    members: NotRequired[list[str]]
    name: str
    required: NotRequired[bool]
    title: NotRequired[str]
    try_value: NotRequired[Any]
    type: NotRequired[Literal["boolean", "date", "datetime", "decimal", "integer", "json", "text"]]
    unit: NotRequired[str]


class InputSource(TypedDict):
    convert: NotRequired[
        list[
            Number
            | Arithmetic
            | DateOf
            | MomentOf
            | Epoch
            | YesNo
            | Table
            | Default
            | Trim
            | Case
            | Replace
            | Extract
            | Split
            | Join
            | Substring
            | Affix
            | Pick
            | Aggregate
            | Read
            | Write
        ]
        | None
    ]
    field: NotRequired[str]
    members: NotRequired[dict[str, InputSource]]
    value: NotRequired[Any]
    version: NotRequired[bool]


class Instead(TypedDict):
    kinds: NotRequired[list[str]]
    steps: NotRequired[list[AskStep | RecordsStep | DecideStep | PauseStep | EndStep]]
    type: Literal["instead"]


class Interval(TypedDict):
    enabled: NotRequired[bool]
    every: str
    jitter: NotRequired[int]
    quiet_from: NotRequired[str]
    quiet_until: NotRequired[str]
    time_zone: NotRequired[str]
    type: Literal["interval"]


class ItemUse(TypedDict):
    belongs: bool
    environment: str
    how: str
    kind: str
    last: LastResultShown | None
    name: str
    title: str
    word: str


Join = TypedDict("Join", {"type": "Literal['join']", "with": "NotRequired[str]"})


class JsonBody(TypedDict):
    media_type: NotRequired[str]
    members: NotRequired[list[Member]]
    optional: NotRequired[bool]
    type: Literal["json"]


class JwtBearer(TypedDict):
    algorithm: NotRequired[
        Literal[
            "ES256",
            "ES384",
            "ES512",
            "EdDSA",
            "HS256",
            "HS384",
            "HS512",
            "PS256",
            "PS384",
            "PS512",
            "RS256",
            "RS384",
            "RS512",
        ]
    ]
    assertion_audience: NotRequired[str]
    audience: NotRequired[str]
    client_authentication: NotRequired[Literal["basic", "body", "client_secret_jwt", "none", "private_key_jwt", "tls"]]
    client_id: NotRequired[str]
    issuer: NotRequired[str]
    key_id: NotRequired[str]
    resource: NotRequired[str]
    scope: NotRequired[str]
    scope_in_assertion: NotRequired[bool]
    subject: NotRequired[str]
    token_address: NotRequired[str]
    type: Literal["jwt_bearer"]


KeepValue = TypedDict(
    "KeepValue",
    {
        "from": "FlowSource",
        "name": "str",
        "required": "NotRequired[bool]",
        "type": "NotRequired[Literal['boolean', 'date', 'datetime', 'decimal', 'integer', 'json', 'text']]",
    },
)


class Keyset(TypedDict):
    input: NotRequired[str]
    key: str
    max_pages: NotRequired[int]
    size_input: NotRequired[str]
    type: Literal["keyset"]
    until: NotRequired[Literal["empty_page", "short_page"]]


class LackingItem(TypedDict):
    hint: str
    message: str
    what: str
    who: str


class LastResultShown(TypedDict):
    at: str | None
    run: int | None
    state: str
    words: str


class LastRun(TypedDict):
    at: str
    completeness: str
    id: int
    state: str


class LaterAnswer(TypedDict):
    every: NotRequired[float]
    failed: NotRequired[list[str]]
    longest: NotRequired[float]
    look_at: NotRequired[str]
    ready: NotRequired[list[str]]
    result: NotRequired[str]
    state: NotRequired[str]


class Level(TypedDict):
    at: str | At
    level: str
    or_one: NotRequired[bool]


class Limit(TypedDict):
    calls: int
    every: NotRequired[int]
    span: NotRequired[Literal["day", "hour", "minute", "month", "second"]]


class Link(TypedDict):
    fields: list[str]
    record_type: str


class LinkHeader(TypedDict):
    header: NotRequired[str]
    max_pages: NotRequired[int]
    type: Literal["link_header"]


class LinkedRecord(TypedDict):
    is_kept: bool
    key: list[Any]
    record_type: str


class LinkedRecords(TypedDict):
    columns: list[str]
    is_all: bool
    record_type: str
    records: list[RecordSummary]
    where: dict[str, str]


class ListBinding(TypedDict):
    brings: NotRequired[Literal["key", "nothing", "record"]]
    filters: NotRequired[list[FilterInput]]
    inputs: NotRequired[dict[str, InputSource]]
    operation: str
    rows: NotRequired[list[str] | None]
    sort: NotRequired[SortInput | None]


class Literally(TypedDict):
    as_json: NotRequired[bool]
    name: NotRequired[str]
    type: NotRequired[str]
    value: NotRequired[str | list[str | ValueOf] | ValueOf]


class LiveReject(TypedDict):
    ordinal: int
    path: str
    problems: list[FieldProblemItem]


class LiveShown(TypedDict):
    age: float
    calls: int
    is_cached: bool
    local: list[str]
    read_at: str
    run: int | None
    stale_why: str


class LossItem(TypedDict):
    field: str
    words: str


class MadeApplicationToken(TypedDict):
    by: str | None
    expires_at: str | None
    id: int
    made_at: str
    title: str
    token: str
    used_at: str | None


class MadePassword(TypedDict):
    made_password: str | None


class MadePerson(TypedDict):
    is_active: bool
    is_administrator: bool
    last_login: str | None
    made_at: str
    made_password: str | None
    name: str
    projects: list[Role]
    title: str
    tokens: int


class MadeToken(TypedDict):
    expires_at: str | None
    id: int
    made_at: str
    title: str
    token: str
    used_at: str | None


class MappedRow(TypedDict):
    data: dict[str, Any] | None
    fields: list[FieldPlace]
    ordinal: int
    path: str
    pointer: str
    problems: list[FieldProblemItem]


class Mapping(TypedDict):
    changed_at: str
    document: MappingDocument
    id: str
    name: str
    problems: list[ProblemItem]
    service: str
    title: str
    used_by: list[UseItem]
    version: int
    whole: MappingDocument


class MappingDocument(TypedDict):
    based_on: NotRequired[str | None]
    format: NotRequired[Literal["json", "xml"]]
    namespaces: NotRequired[dict[str, str]]
    outputs: NotRequired[list[Output]]
    version: NotRequired[Literal[1]]


class MappingForms(TypedDict):
    comparisons: list[ComparisonItem]
    conversions: list[ConversionForm]


class MappingPage(TypedDict):
    items: list[Mapping]
    next: str | None


class Member(TypedDict):
    at: str
    enabled: NotRequired[bool]
    required_in: NotRequired[str | None]
    type: NotRequired[Literal["boolean", "decimal", "integer", "json", "json_text", "text"]]
    value: NotRequired[str | list[str | ValueOf] | ValueOf]


class Membership(TypedDict):
    administrators: list[str]
    environments: list[str]
    name: str
    permissions: list[str]
    role: Literal["viewer", "operator", "builder", "administrator"]
    title: str


class MetadataFound(TypedDict):
    authorization_address: str
    client_authentication: list[str]
    grants: list[str]
    has_pkce: bool
    issuer: str
    scopes: list[str]
    token_address: str


class MeterItem(TypedDict):
    calls: int
    left: int
    refills_at: float | None
    used: int
    words: str


class MeterShown(TypedDict):
    asked_until: float | None
    held_until: float | None
    held_why: str
    limits: list[MeterItem]
    now: float
    operations: list[OperationCalls]
    parallel: int | None
    said: Any
    under_way: int


class MomentOf(TypedDict):
    patterns: list[str]
    type: Literal["datetime"]
    zone: NotRequired[str]


class Moved(TypedDict):
    connection: str
    credential: str
    document: Any
    name: str


class MultipartBody(TypedDict):
    optional: NotRequired[bool]
    parts: NotRequired[list[Part]]
    required: NotRequired[list[str]]
    type: Literal["multipart"]


class NameProposed(TypedDict):
    is_taken: bool
    name: str
    wanted: str


class NamedValueShown(TypedDict):
    becomes: str
    item: str
    kind: str
    name: str
    version: int


class NamingRule(TypedDict):
    feeds_begin: NotRequired[str]
    field_separator: NotRequired[Literal["-", "_"]]
    separator: NotRequired[Literal["-", "_"]]
    service_first: NotRequired[bool]


class NamingShown(TypedDict):
    rule: NamingRule


class NextAddress(TypedDict):
    at: str
    max_pages: NotRequired[int]
    relative_to: NotRequired[Literal["base_address", "request"]]
    type: Literal["next_address"]


class NoSignIn(TypedDict):
    type: Literal["none"]


class NodeItem(TypedDict):
    count: int
    depth: int
    kind: Literal["object", "array", "string", "integer", "number", "boolean", "null"]
    name: str
    path: str
    pointer: str
    text: str


class NothingFound(TypedDict):
    empty: NotRequired[str | Source | None]
    statuses: NotRequired[list[int]]


class Number(TypedDict):
    decimal: NotRequired[str]
    grouping: NotRequired[str]
    percent: NotRequired[bool]
    type: Literal["number"]


class ODataQuery(TypedDict):
    arguments: NotRequired[list[Literally]]
    count: NotRequired[bool]
    expand: NotRequired[list[Expand]]
    filter: NotRequired[list[OdataCondition]]
    is_function: NotRequired[bool]
    key: NotRequired[list[Literally]]
    order: NotRequired[list[Order]]
    search: NotRequired[str | list[str | ValueOf] | ValueOf]
    select: NotRequired[list[str]]
    skip: NotRequired[str | list[str | ValueOf] | ValueOf]
    then: NotRequired[str]
    top: NotRequired[str | list[str | ValueOf] | ValueOf]
    version: NotRequired[Literal["2.0", "3.0", "4.0", "4.01"]]


class ObstacleItem(TypedDict):
    environment: str
    kind: str
    name: str
    reasons: list[ProblemItem]


class OfCalls(TypedDict):
    applications: NotRequired[list[str]]
    ends: NotRequired[list[Literal["cancelled", "done", "failed"]]]
    type: Literal["calls"]


class OfFeeds(TypedDict):
    events: NotRequired[
        list[Literal["drift", "ended", "failed", "incomplete", "late", "not_marked", "recovered", "refused"]]
    ]
    feeds: NotRequired[list[str]]
    type: Literal["feeds"]


class OfFlows(TypedDict):
    events: NotRequired[list[Literal["asks", "doubt", "ended", "failed", "refused"]]]
    flows: NotRequired[list[str]]
    type: Literal["flows"]


class OfRecords(TypedDict):
    kinds: NotRequired[list[Literal["changed", "created", "gone", "removed", "returned"]]]
    record_type: str
    type: Literal["records"]


class OfferItem(TypedDict):
    is_certain: bool
    name: str
    of: Literal["input", "result", "kept", "item", "position", "failure", "undone", "standing", "caller"]
    source: FlowSource
    title: str
    type: str


class OfferShown(TypedDict):
    flows: list[OfferedOperationItem]
    goes_by: str
    operations: list[OfferedOperationItem]
    record_types: list[OfferedOperationItem]


class OfferedDetails(TypedDict):
    bodies: list[str]
    description: str
    inputs: list[OfferedInput]


class OfferedInput(TypedDict):
    description: str
    is_in_path: bool
    is_required: bool
    name: str
    type: str


class OfferedOperation(TypedDict):
    details: OfferedDetails | None
    inputs: int
    is_complete: bool
    is_deprecated: bool
    is_imported: bool
    key: str
    method: str
    name: str
    paging: (
        LinkHeader
        | NextAddress
        | PageNumber
        | Offset
        | Cursor
        | GraphqlConnection
        | Keyset
        | Windows
        | OneResponse
        | None
    )
    path: str
    sign_ins: list[str]
    tags: list[str]
    title: str
    warnings: list[ProblemItem]


class OfferedOperationItem(TypedDict):
    name: str
    title: str


class OfferedServer(TypedDict):
    address: str
    blanks: dict[str, str]
    choices: dict[str, list[str]]
    description: str


class OfferedSignIn(TypedDict):
    name: str
    secret_names: list[str]
    type: str | None
    words: str


class OfferedType(TypedDict):
    field_count: int
    fields: list[TypeField] | None
    is_list: bool
    key: list[str]
    name: str
    parent: str
    source: str
    wanted: str


class Offering(TypedDict):
    address: str
    application: str
    calls_a_minute: int | None
    environment: str
    flows: list[UsableFlow]
    names_callers: bool
    operations: list[UsableOperation]
    project: str
    record_types: list[UsableType]
    release: int | None
    time_limit: float
    title: str


class Offset(TypedDict):
    first: NotRequired[int]
    input: NotRequired[str]
    max_pages: NotRequired[int]
    size_input: NotRequired[str]
    total: NotRequired[str | None]
    total_header: NotRequired[str]
    type: Literal["offset"]
    until: NotRequired[Literal["empty_page", "short_page"]]


class OneResponse(TypedDict):
    type: Literal["one_response"]


class Only(TypedDict):
    roles: NotRequired[list[Literal["administrator", "application", "builder", "operator", "schedule", "webhook"]]]
    when: NotRequired[list[FlowCondition]]


class OpeningItem(TypedDict):
    at: str
    held: FlowSource | None
    name: str
    offers: list[int]
    part: str
    required: bool
    title: str
    type: str
    undoes: bool


class Operation(TypedDict):
    changed_at: str
    document: OperationDocument
    id: str
    last_run: LastRun | None
    name: str
    problems: list[ProblemItem]
    service: str
    title: str
    version: int


class OperationCalls(TypedDict):
    calls: int
    last_at: str
    operation: str
    title: str


class OperationDocument(TypedDict):
    body: NotRequired[
        FormBody | MultipartBody | JsonBody | XmlBody | TextBody | BytesBody | GraphQLBody | SoapBody | None
    ]
    came_from: NotRequired[CameFrom | None]
    cookies: NotRequired[list[Parameter]]
    deprecated: NotRequired[bool]
    description: NotRequired[str]
    documentation: NotRequired[str]
    enabled: NotRequired[bool]
    headers: NotRequired[list[Parameter]]
    inputs: NotRequired[list[Input]]
    later: NotRequired[LaterAnswer | None]
    left_out: NotRequired[list[str]]
    method: NotRequired[Literal["DELETE", "GET", "HEAD", "OPTIONS", "PATCH", "POST", "PUT"]]
    odata: NotRequired[ODataQuery | None]
    other_bodies: NotRequired[list[OtherBody]]
    outcomes: NotRequired[OutcomeRules]
    paging: NotRequired[
        LinkHeader
        | NextAddress
        | PageNumber
        | Offset
        | Cursor
        | GraphqlConnection
        | Keyset
        | Windows
        | OneResponse
        | None
    ]
    path: NotRequired[str]
    query: NotRequired[list[Parameter]]
    reads: NotRequired[bool]
    response: NotRequired[ResponseView]
    responses: NotRequired[list[ResponseDescription]]
    tags: NotRequired[list[str]]
    takes_key: NotRequired[bool]


class OperationForms(TypedDict):
    later: FormShown
    paging: list[FormShown]


class OperationPage(TypedDict):
    items: list[Operation]
    next: str | None


class Order(TypedDict):
    is_descending: NotRequired[bool]
    property: str


class OriginItem(TypedDict):
    name: str
    place: str
    replaces: str
    source: str
    value: str


class OtherBody(TypedDict):
    body: FormBody | MultipartBody | JsonBody | XmlBody | TextBody | BytesBody | GraphQLBody | SoapBody
    inputs: NotRequired[list[Input]]
    media_type: str


class OutcomeRules(TypedDict):
    failures: NotRequired[list[FailureRule]]
    forms: NotRequired[list[Literal["graphql", "odata", "problem", "soap"]] | None]
    nothing_found: NotRequired[NothingFound]


class OutcomeShown(TypedDict):
    hint: str
    is_good: bool
    kind: Literal["good", "partial", "nothing_found", "failure"]
    message: str
    words: str


class OutlineItem(TypedDict):
    alternatives: AlternativesItem | None
    convert: list[
        Number
        | Arithmetic
        | DateOf
        | MomentOf
        | Epoch
        | YesNo
        | Table
        | Default
        | Trim
        | Case
        | Replace
        | Extract
        | Split
        | Join
        | Substring
        | Affix
        | Pick
        | Aggregate
        | Read
        | Write
    ]
    depth: int
    examples: list[str]
    format: str | None
    fractional: int
    is_corrected: bool
    key_count: int
    keys: list[str]
    lengths: list[int] | None
    lists: int
    name: str
    nulls: int
    path: str
    presence: float
    range: list[str] | None
    seen: int
    type: str
    types: list[str]


class OutlineShown(TypedDict):
    lines: list[OutlineItem]
    namespaces: dict[str, str]
    row_choices: list[RowChoiceItem]
    schema: dict[str, Any]


class Output(TypedDict):
    fields: NotRequired[list[FieldRule]]
    record_type: str
    rows: NotRequired[list[Level]]
    where: NotRequired[list[Condition]]


class OwnSignIn(TypedDict):
    credential: NotRequired[str]
    operation: str
    sign_in: NotRequired[
        NoSignIn
        | ApiKey
        | Bearer
        | Basic
        | Digest
        | ClientCertificate
        | ClientCredentials
        | AuthorizationCode
        | JwtBearer
        | PasswordGrant
        | SignInOperation
        | UserNameToken
        | SoapHeader
    ]


class PageNumber(TypedDict):
    first: NotRequired[int]
    input: NotRequired[str]
    max_pages: NotRequired[int]
    pages: NotRequired[str | None]
    size_input: NotRequired[str]
    total: NotRequired[str | None]
    total_header: NotRequired[str]
    type: Literal["page_number"]
    until: NotRequired[Literal["empty_page", "short_page"]]


class PagingGuessItem(TypedDict):
    paging: (
        LinkHeader
        | NextAddress
        | PageNumber
        | Offset
        | Cursor
        | GraphqlConnection
        | Keyset
        | Windows
        | OneResponse
        | None
    )
    reason: str


class PairItem(TypedDict):
    field: str
    is_sure: bool
    path: str
    reason: Literal["same name", "similar name", "like values"]


class Parameter(TypedDict):
    enabled: NotRequired[bool]
    encoded: NotRequired[bool]
    explode: NotRequired[bool]
    name: str
    style: NotRequired[Literal["deepObject", "form", "json", "pipeDelimited", "spaceDelimited"]]
    value: NotRequired[str | list[str | ValueOf] | ValueOf]


class Part(TypedDict):
    enabled: NotRequired[bool]
    encoding: NotRequired[Literal["base64", "text"]]
    file_name: NotRequired[str]
    headers: NotRequired[list[Parameter]]
    media_type: NotRequired[str]
    name: str
    value: NotRequired[str | list[str | ValueOf] | ValueOf]


class PartForm(TypedDict):
    fields: list[FormFieldItem]
    may_be_none: bool
    name: str
    title: str
    type: str
    words: str


class PartSummary(TypedDict):
    count: int
    name: str


class PasswordGrant(TypedDict):
    algorithm: NotRequired[
        Literal[
            "ES256",
            "ES384",
            "ES512",
            "EdDSA",
            "HS256",
            "HS384",
            "HS512",
            "PS256",
            "PS384",
            "PS512",
            "RS256",
            "RS384",
            "RS512",
        ]
    ]
    audience: NotRequired[str]
    client_authentication: NotRequired[Literal["basic", "body", "client_secret_jwt", "none", "private_key_jwt", "tls"]]
    client_id: NotRequired[str]
    key_id: NotRequired[str]
    resource: NotRequired[str]
    scope: NotRequired[str]
    token_address: NotRequired[str]
    type: Literal["password_grant"]
    user_name: NotRequired[str]


class PasteParts(TypedDict):
    base_address: str
    difference: str
    findings: list[FindingItem]
    kind: Literal["address", "request", "parameters", "body"]
    name: str
    operation: OperationDocument
    title: str


class PatternItem(TypedDict):
    document: OperationDocument
    name: str
    title: str


class PauseItem(TypedDict):
    kind: Literal["time", "callback", "person", "doubt", "step"]
    may_answer: bool
    question: str
    shows: dict[str, Any]
    step: str
    task: str
    until: str | None


class PauseStep(TypedDict):
    callback: NotRequired[Callback | None]
    description: NotRequired[str]
    keep: NotRequired[list[KeepValue]]
    name: str
    on_failure: NotRequired[list[GoOn | Instead | Repeat]]
    only: NotRequired[Only | None]
    person: NotRequired[Approval | None]
    seconds: NotRequired[float | None]
    time_limit: NotRequired[float | None]
    title: NotRequired[str]
    type: Literal["pause"]
    until: NotRequired[FlowSource | None]


class Person(TypedDict):
    is_active: bool
    is_administrator: bool
    last_login: str | None
    made_at: str
    name: str
    projects: list[Role]
    title: str
    tokens: int


class Pick(TypedDict):
    position: NotRequired[int]
    type: Literal["pick"]
    which: NotRequired[Literal["at", "first", "last"]]


class PlaceItem(TypedDict):
    path: str
    pointer: str
    positions: list[int]
    text: str


class PlacesFound(TypedDict):
    is_all: bool
    items: list[PlaceItem]


class PlannedChangeItem(TypedDict):
    after: dict[str, Any] | None
    before: dict[str, Any] | None
    key: list[Any]
    kind: Literal["created", "changed", "gone", "returned", "removed"]
    record_type: str


class PlannedChangeItemPage(TypedDict):
    items: list[PlannedChangeItem]
    next: str | None


class Preparation(TypedDict):
    base_address: NotRequired[str]
    example: NotRequired[str]
    key_from: NotRequired[str]
    limits: NotRequired[list[Limit] | None]
    sign_in: NotRequired[
        NoSignIn
        | ApiKey
        | Bearer
        | Basic
        | Digest
        | ClientCertificate
        | ClientCredentials
        | AuthorizationCode
        | JwtBearer
        | PasswordGrant
        | SignInOperation
        | UserNameToken
        | SoapHeader
        | None
    ]


class PreparedQuery(TypedDict):
    changed_at: str
    document: PreparedQueryDocument
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    used_by: list[str]
    version: int


class PreparedQueryDocument(TypedDict):
    content: NotRequired[str | list[str | ValueOf] | ValueOf]
    description: NotRequired[str]
    kind: NotRequired[Literal["mutation", "query"]]
    language: NotRequired[Literal["graphql", "other"]]
    literals: NotRequired[Literal["", "backslash", "doubled", "json"]]
    query: NotRequired[str]
    variables: NotRequired[list[Input]]


class PreparedQueryPage(TypedDict):
    items: list[PreparedQuery]
    next: str | None


class PreviewOutput(TypedDict):
    coverage: CoverageShown
    filtered: int
    record_type: str
    records: int
    rejected: int
    rows: int
    shown: list[MappedRow]


class PreviewShown(TypedDict):
    outputs: list[PreviewOutput]


class ProblemItem(TypedDict):
    hint: str
    message: str
    where: str


class ProfilePart(TypedDict):
    count: int
    least: str | None
    most: str | None


class Project(TypedDict):
    made_at: str
    members: int
    name: str
    title: str


class ProjectMember(TypedDict):
    is_active: bool
    name: str
    role: Literal["viewer", "operator", "builder", "administrator"]
    title: str


class ProofShown(TypedDict):
    address: str


class ProposalShown(TypedDict):
    left_out: list[str]
    mapping: MappingDocument
    name: str
    notes: list[str]
    open: list[str]
    pairs: list[PairItem]
    parts: list[ProposedPartShown]
    record_type: RecordTypeDocument


class ProposedPartShown(TypedDict):
    name: str
    output: Output
    path: str
    record_type: RecordTypeDocument


class ProxySettings(TypedDict):
    address: NotRequired[str]
    user_name: NotRequired[str]


class RanItem(TypedDict):
    at: str
    begun_by: str
    completeness: str
    ended_at: str | None
    id: int
    state: str


class Read(TypedDict):
    format: Literal["base64", "json", "xml"]
    type: Literal["read"]


class RecordChangeItem(TypedDict):
    after: dict[str, Any] | None
    at: str
    before: dict[str, Any] | None
    data: dict[str, Any] | None
    id: str
    key: list[Any]
    kind: Literal["created", "changed", "gone", "returned", "removed"]
    run: int


class RecordField(TypedDict):
    is_picture: NotRequired[bool]
    name: str
    searchable: NotRequired[bool]
    title: NotRequired[str]
    type: Literal["boolean", "date", "datetime", "decimal", "integer", "json", "text"]
    unit: NotRequired[str]


class RecordOfRow(TypedDict):
    key: list[Any]
    run: int


class RecordPageShown(TypedDict):
    all_why: NotRequired[str]
    count: int | None
    is_all: NotRequired[bool | None]
    items: list[RecordSummary]
    live: NotRequired[LiveShown]
    next: str | None
    rejects: NotRequired[list[LiveReject]]


class RecordProfile(TypedDict):
    columns: list[FieldProfileShown]
    is_all: bool
    records: int


class RecordShown(TypedDict):
    belongs_to: NotRequired[list[LinkedRecord]]
    call: NotRequired[int]
    changed_at: NotRequired[str]
    data: dict[str, Any]
    feeds: NotRequired[list[str]]
    gone_at: NotRequired[str | None]
    holds: NotRequired[list[LinkedRecords]]
    id: str
    key: list[Any]
    live: NotRequired[LiveShown]
    made_at: NotRequired[str]
    run: NotRequired[int]
    trace: NotRequired[TraceShown]
    version: NotRequired[str | None]


class RecordSummary(TypedDict):
    call: NotRequired[int]
    changed_at: NotRequired[str]
    data: dict[str, Any]
    feeds: NotRequired[list[str]]
    gone_at: NotRequired[str | None]
    id: str
    key: list[Any]
    made_at: NotRequired[str]
    run: NotRequired[int]
    version: NotRequired[str | None]


class RecordType(TypedDict):
    changed_at: str
    document: RecordTypeDocument
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    used_by: list[UseItem]
    version: int


class RecordTypeDocument(TypedDict):
    fields: NotRequired[list[RecordField]]
    gone_days: NotRequired[int | None]
    history: NotRequired[Literal["all", "changes", "none"]]
    history_days: NotRequired[int | None]
    key: NotRequired[list[str]]
    kind: NotRequired[Literal["kept", "live", "passing"]]
    links: NotRequired[list[Link]]


class RecordTypePage(TypedDict):
    items: list[RecordType]
    next: str | None


class RecordUses(TypedDict):
    binding: str
    fields: list[FieldUse]
    kind: Literal["kept", "live", "passing"]
    max_age: int
    most_local: int
    problem: str
    roles: list[RoleUse]


class RecordViewItem(TypedDict):
    columns: list[ViewColumn]
    name: str
    problem: str
    record_type: str
    role: str
    schema: str


class RecordWritten(TypedDict):
    calls: int
    confirmed: Literal["read back", "answered", "accepted"]
    data: dict[str, Any] | None
    differences: list[ProblemItem]
    key: list[Any] | None
    note: str
    run: int | None
    version: str | None


class RecordedAnswer(TypedDict):
    outcome: dict[str, Any]
    task: str


class Recording(TypedDict):
    answers: NotRequired[list[RecordedAnswer]]
    begun_at: NotRequired[str | None]
    caller: NotRequired[str]
    role: NotRequired[str]
    settled: NotRequired[dict[str, Literal["again", "done", "failed"]]]


class RecordsStep(TypedDict):
    action: Literal["change", "find", "keep", "remove"]
    description: NotRequired[str]
    fields: NotRequired[dict[str, FlowSource]]
    keep: NotRequired[list[KeepValue]]
    key: NotRequired[dict[str, FlowSource]]
    name: str
    on_failure: NotRequired[list[GoOn | Instead | Repeat]]
    only: NotRequired[Only | None]
    record_type: str
    time_limit: NotRequired[float | None]
    title: NotRequired[str]
    type: Literal["records"]


class RefusalItem(TypedDict):
    at: str
    code: str
    hint: str
    message: str
    where: str


class RejectReason(TypedDict):
    field: str
    reason: str
    record_type: str
    rows: int


class RejectedRow(TypedDict):
    call: int
    ordinal: int
    path: str
    problems: list[dict[str, str]]
    record_type: str
    row: str


class RejectedRowPage(TypedDict):
    items: list[RejectedRow]
    next: str | None


class Release(TypedDict):
    by: str | None
    environments: list[str]
    items: int
    made_at: str
    notes: str
    number: int
    waived: list[WaivedItem]
    withdrawn_at: str | None
    withdrawn_why: str


class ReleaseDifferenceItem(TypedDict):
    after: int | None
    before: int | None
    by: str | None
    differences: list[ValueDifferenceItem]
    kind: str
    name: str
    name_before: str
    what: Literal["added", "removed", "changed"]
    why: str


class ReleasePage(TypedDict):
    items: list[Release]
    next: str | None


class ReleasedItemShown(TypedDict):
    at: str
    kind: str
    name: str
    title: str
    version: int


class Remark(TypedDict):
    call: int | None
    hint: str
    kind: Literal[
        "incomplete",
        "partial",
        "undelimited",
        "drift",
        "rejected",
        "duplicates",
        "unseen",
        "gone",
        "not_marked",
        "went_on",
        "all_again",
        "outdated",
        "not_listed",
        "not_kept",
        "passing",
        "not_undone",
    ]
    message: str
    times: int


class Repeat(TypedDict):
    factor: NotRequired[float]
    kinds: NotRequired[list[str]]
    pause: NotRequired[float]
    times: NotRequired[int]
    type: Literal["repeat"]


Replace = TypedDict(
    "Replace",
    {"expression": "NotRequired[bool]", "text": "str", "type": "Literal['replace']", "with": "NotRequired[str]"},
)


class ReplyMember(TypedDict):
    name: str
    records: NotRequired[str]
    required: NotRequired[bool]
    title: NotRequired[str]
    type: NotRequired[Literal["boolean", "date", "datetime", "decimal", "integer", "json", "text"]]


class RequestShown(TypedDict):
    connection: str
    findings: list[FindingItem]
    method: str
    origins: list[OriginItem]
    problems: list[ProblemItem]
    sign_in: str
    supports: list[str]
    text: str
    url: str
    warnings: list[ProblemItem]


class ResponseDescription(TypedDict):
    definition: NotRequired[str]
    description: NotRequired[str]
    headers: NotRequired[list[ResponseHeader]]
    media_type: NotRequired[str]
    schema: NotRequired[dict[str, Any] | bool | None]
    status: str


class ResponseHeader(TypedDict):
    description: NotRequired[str]
    name: str
    required: NotRequired[bool]
    schema: NotRequired[dict[str, Any] | bool]


class ResponseView(TypedDict):
    accepted: NotRequired[list[AcceptedDrift]]
    corrections: NotRequired[list[Correction]]
    read_as: NotRequired[str]
    rows: NotRequired[list[str]]


class RetryPolicy(TypedDict):
    first_pause: NotRequired[float]
    max_pause: NotRequired[float]
    max_redirects: NotRequired[int]
    max_retries: NotRequired[int]
    max_retries_of_run: NotRequired[int]
    max_waits: NotRequired[int]
    repeats: NotRequired[Literal["always", "idempotent", "reading"]]
    statuses: NotRequired[list[int]]


class Revision(TypedDict):
    at: str
    by: str | None
    content: dict[str, Any]
    name: str
    version: int
    what: Literal["made", "changed", "removed"]
    why: str


class Role(TypedDict):
    project: str
    role: Literal["viewer", "operator", "builder", "administrator"]


class RoleBinding(TypedDict):
    brings: NotRequired[Literal["key", "nothing", "record"]]
    inputs: NotRequired[dict[str, InputSource]]
    operation: str
    rows: NotRequired[list[str] | None]


class RoleCandidates(TypedDict):
    operations: list[str]
    role: Literal["list", "find", "create", "change", "replace", "remove"]


class RoleUse(TypedDict):
    operation: str
    problem: str
    role: Literal["list", "find", "create", "change", "replace", "remove"]


class RowChoiceItem(TypedDict):
    count: int
    holds: str
    path: str


class RowFailure(TypedDict):
    call: int | None
    error: Error
    key: list[Any]


class RowFailurePage(TypedDict):
    items: list[RowFailure]
    next: str | None


class RowsShown(TypedDict):
    count: int
    message: str
    path: str
    rows: list[Any]
    status: int
    url: str
    words: str


class Run(TypedDict):
    attempt: int
    begun_by: str
    brings_all: bool
    by: str | None
    calls: int
    compared: int
    completeness: Literal["", "complete", "incomplete", "unknown"]
    counts: list[RunCount]
    due_at: str | None
    ended_at: str | None
    ending: str
    environment: str
    error: Error | None
    expected_rows: int | None
    feed: str | None
    flow: str | None
    id: int
    inputs: dict[str, Any]
    is_dry: bool
    kind: Literal["trial", "feed", "webhook", "application", "live", "flow"]
    operation: str | None
    parent: int | None
    queued_at: str
    release: int | None
    remarks: list[Remark]
    rows_asked: int
    rows_failed: int
    started_at: str | None
    state: Literal["queued", "running", "waiting", "done", "failed", "cancelled"]
    summary: str
    title: str


class RunCount(TypedDict):
    changed: int
    created: int
    filtered: int
    gone: int
    record_type: str
    rejected: int
    repeated: int
    rows: int
    unchanged: int
    unseen: int | None


class RunPage(TypedDict):
    items: list[Run]
    next: str | None


class Sample(TypedDict):
    body: str
    changed_at: str
    document: SampleDocument
    id: str
    media_type: str
    name: str
    operation: str | None
    problems: list[ProblemItem]
    size: int
    title: str
    version: int


class SampleDocument(TypedDict):
    headers: NotRequired[list[list[str]]]
    request: NotRequired[str]
    status: NotRequired[int | None]


class SampleMade(TypedDict):
    adopted: AdoptedPaging | None
    body: str
    name: str


class SamplePage(TypedDict):
    items: list[Sample]
    next: str | None


class SchemasShown(TypedDict):
    defs: Any


class SearchShown(TypedDict):
    is_all: bool
    items: list[FoundItem]


class SecretsSet(TypedDict):
    certificates: dict[str, str]
    has_second: bool
    name: str
    names: list[str]
    origins: list[str]
    version: int


class Service(TypedDict):
    changed_at: str
    connections: list[ServiceConnection]
    counts: dict[str, int]
    document: ServiceDocument
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    version: int


class ServiceConnection(TypedDict):
    base_address: str
    environment: str
    is_enabled: bool
    is_ready: bool
    name: str
    title: str
    works: bool | None


class ServiceDocument(TypedDict):
    description: NotRequired[str]
    documentation: NotRequired[str]
    preparation: NotRequired[Preparation]
    protocol: NotRequired[Literal["rest"]]
    stand_in: NotRequired[StandIn | None]


class ServicePage(TypedDict):
    items: list[Service]
    next: str | None


class Session(TypedDict):
    csrf_token: str
    is_administrator: bool
    name: str
    projects: list[Membership]
    title: str


class SharedHeader(TypedDict):
    header: str
    prefix: NotRequired[str]
    type: Literal["shared_header"]


class SignInOperation(TypedDict):
    carrier: NotRequired[Literal["cookie", "header", "query"]]
    expires_at: NotRequired[str]
    inputs: NotRequired[dict[str, Any]]
    lifetime_at: NotRequired[str]
    lifetime_seconds: NotRequired[int | None]
    name: NotRequired[str]
    operation: NotRequired[str]
    prefix: NotRequired[str]
    secret_inputs: NotRequired[list[str]]
    token_at: NotRequired[str]
    token_in: NotRequired[Literal["body", "cookie", "header"]]
    type: Literal["sign_in_operation"]


class SignInShown(TypedDict):
    callback: str
    obstacles: list[ProblemItem]
    tokens: list[TokenState]


class SinceLastRun(TypedDict):
    clock: NotRequired[Literal["rondine", "service"]]
    first: NotRequired[Any]
    overlap: NotRequired[str]
    time_zone: NotRequired[str]
    type: Literal["since_last_run"]


class SoapBody(TypedDict):
    action: NotRequired[str]
    derived: NotRequired[dict[str, dict[str, str]]]
    elements: NotRequired[list[XmlElement]]
    headers: NotRequired[list[XmlElement]]
    namespaces: NotRequired[dict[str, str]]
    reads: NotRequired[bool]
    root: NotRequired[str]
    type: Literal["soap"]
    types: NotRequired[dict[str, list[XmlChild]]]
    version: NotRequired[Literal["1.1", "1.2"]]


class SoapHeader(TypedDict):
    element: NotRequired[str]
    namespace: NotRequired[str]
    secret_element: NotRequired[str]
    type: Literal["soap_header"]
    user_element: NotRequired[str]
    user_name: NotRequired[str]


class SortInput(TypedDict):
    input: str
    values: dict[str, str]


class Source(TypedDict):
    all: NotRequired[bool]
    first_of: NotRequired[list[str | Source] | None]
    header: NotRequired[str | None]
    input: NotRequired[str | None]
    jsonpath: NotRequired[str | None]
    key: NotRequired[str | None]
    level: NotRequired[str]
    pointer: NotRequired[str | None]
    position: NotRequired[str | None]
    several: NotRequired[list[str | Source] | None]
    standing: NotRequired[str | None]
    value: NotRequired[Any]
    xpath: NotRequired[str | None]


class Split(TypedDict):
    at: str
    type: Literal["split"]


class StandIn(TypedDict):
    delay: NotRequired[float]
    fail_every: NotRequired[int]
    fail_status: NotRequired[int]
    page_size: NotRequired[int]
    rows: NotRequired[int]


class StandInShown(TypedDict):
    address: str
    form: FormShown
    is_on: bool
    operations: list[StoodInItem]


class Standard(TypedDict):
    type: Literal["standard"]


class StandingParameter(TypedDict):
    enabled: NotRequired[bool]
    name: str
    value: NotRequired[str | list[str | ValueOf] | ValueOf]


class StandingValue(TypedDict):
    changed_at: str
    document: StandingValueDocument
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    used_by: list[UseItem]
    version: int
    warnings: list[ProblemItem]


class StandingValueDocument(TypedDict):
    description: NotRequired[str]
    values: NotRequired[dict[str, str | int | bool]]


class StandingValuePage(TypedDict):
    items: list[StandingValue]
    next: str | None


class StoodInItem(TypedDict):
    method: str
    name: str
    path: str
    responds: Literal["sample", "invented", "nothing"]
    title: str
    words: str


class StructureDifferenceItem(TypedDict):
    after: str
    before: str
    kind: Literal["added", "removed", "changed"]
    path: str


class Subscription(TypedDict):
    changed_at: str
    credential: str | None
    document: SubscriptionDocument
    environment: str
    error: SubscriptionErrorItem | None
    failures: int
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    told: int
    told_at: str | None
    version: int


class SubscriptionDocument(TypedDict):
    about: OfFeeds | OfRecords | OfCalls | OfFlows
    by: ByWebhook | ByEmail
    description: NotRequired[str]
    enabled: NotRequired[bool]


class SubscriptionErrorItem(TypedDict):
    at: str
    code: str
    hint: str
    message: str
    where: str


class SubscriptionForms(TypedDict):
    about: list[FormShown]
    by: list[FormShown]


class SubscriptionPage(TypedDict):
    items: list[Subscription]
    next: str | None


class Substring(TypedDict):
    begin: NotRequired[int]
    length: NotRequired[int | None]
    type: Literal["substring"]


class Switch(TypedDict):
    after: int | None
    at: str
    before: int | None
    by: str | None
    environment: str
    is_back: bool
    why: str


class Table(TypedDict):
    otherwise: NotRequired[Literal["empty", "keep", "reject"]]
    type: Literal["table"]
    values: dict[str, Any]


class Taken(TypedDict):
    is_new: bool


class TakenFlow(TypedDict):
    flow: Flow
    left_out: list[ProblemItem]


class TaskItem(TypedDict):
    begun_at: str
    ended_at: str | None
    given: dict[str, Any]
    outcome: Any
    recorded: int | None
    run: int | None
    step: str
    task: str


class TaskPairItem(TypedDict):
    differences: list[ValueDifferenceItem]
    first: TaskSide | None
    second: TaskSide | None
    task: str


class TaskSide(TypedDict):
    message: str
    milliseconds: float | None
    outcome: str


class TestCase(TypedDict):
    changed_at: str
    document: CaseDocument
    id: str
    name: str
    problems: list[ProblemItem]
    title: str
    version: int


class TestCasePage(TypedDict):
    items: list[TestCase]
    next: str | None


class TextBody(TypedDict):
    content: NotRequired[str | list[str | ValueOf] | ValueOf]
    media_type: NotRequired[str]
    type: Literal["text"]


class TextPiece(TypedDict):
    is_whole: bool
    size: int
    text: str


class TimeOuts(TypedDict):
    connect: NotRequired[float]
    first_byte: NotRequired[float]
    idle: NotRequired[float]
    whole: NotRequired[float]


class Timing(TypedDict):
    connected: float | None
    done: float
    first_byte: float | None
    kept: NotRequired[float | None]
    read: NotRequired[float | None]
    resolved: float | None
    waited: NotRequired[float | None]


class TlsSettings(TypedDict):
    authority: NotRequired[str]
    certificate: NotRequired[str]


class ToFlow(TypedDict):
    flow: NotRequired[str]
    inputs: NotRequired[dict[str, str]]
    type: Literal["flow"]


class ToRecords(TypedDict):
    mapping: str
    newest_by: NotRequired[str]
    removed_when: NotRequired[list[Condition]]
    type: Literal["records"]


class ToRun(TypedDict):
    feed: str
    type: Literal["run"]


class Token(TypedDict):
    expires_at: str | None
    id: int
    made_at: str
    title: str
    used_at: str | None


class TokenState(TypedDict):
    can_renew: bool
    expires_at: str | None
    obtained_at: str | None
    operation: str
    refusal: Any
    refused_at: str | None
    renewed: int
    scope: str
    signed_in_by: str | None
    state: Literal["none", "valid", "refused", "sign_in_again"]
    words: str


class TraceShown(TypedDict):
    body: str | None
    call: int
    mapping: MappingDocument | None
    note: str
    row: MappedRow | None
    run: int


class Tree(TypedDict):
    format: str
    lines: list[TreeItem]


class TreeItem(TypedDict):
    count: int
    depth: int
    kind: str
    name: str
    path: str
    text: str


class TreePiece(TypedDict):
    count: int
    kind: str
    nodes: list[NodeItem]
    pointer: str


class TrialKept(TypedDict):
    adopted: AdoptedPaging | None
    connection: str
    operation: str
    service: str


class TrialShown(TypedDict):
    body: str | None
    call: Call
    described: str
    differences: list[ProblemItem]
    format: str
    notes: list[str]
    outcome: OutcomeShown | None
    paging: list[PagingGuessItem]
    row_choices: list[RowChoiceItem]
    run: int
    unreadable: str


class Trim(TypedDict):
    characters: NotRequired[str]
    type: Literal["trim"]


class TypeField(TypedDict):
    name: str
    type: str


class UnreadyItem(TypedDict):
    kind: str
    name: str
    problems: list[ProblemItem]


class UsableFlow(TypedDict):
    description: str
    examples: CallExamples
    inputs: list[Input]
    may_take_long: bool
    name: str
    reply: list[ReplyMember]
    title: str
    writes: bool


class UsableOperation(TypedDict):
    description: str
    examples: CallExamples
    files: list[str]
    inputs: list[Input]
    mappings: list[dict[str, Any]]
    name: str
    sign_in: UsableSignIn | None
    title: str
    writes: bool


class UsableSignIn(TypedDict):
    asks: list[str]
    service: str


class UsableType(TypedDict):
    examples: CallExamples
    fields: list[RecordField]
    key: list[str]
    kind: Literal["kept", "live"]
    name: str
    roles: list[str]
    sign_in: UsableSignIn | None
    title: str


class UsageItem(TypedDict):
    application: str
    busy_ms: float
    calls: int
    failed: int
    hour: str
    service_ms: float
    what: str


class UseItem(TypedDict):
    kind: str
    name: str


class UsedChanges(TypedDict):
    history: str
    is_all: bool
    items: list[RecordChangeItem]
    next: str


class UsedRecord(TypedDict):
    changed_at: NotRequired[str]
    data: dict[str, Any]
    gone_at: NotRequired[str | None]
    id: NotRequired[str]
    key: list[Any]
    live: NotRequired[LiveShown]
    made_at: NotRequired[str]
    version: NotRequired[str | None]


class UsedRecordPage(TypedDict):
    all_why: NotRequired[str]
    count: int | None
    is_all: NotRequired[bool | None]
    items: list[UsedRecord]
    live: NotRequired[LiveShown]
    next: str | None
    rejects: NotRequired[list[LiveReject]]


class UsedWritten(TypedDict):
    calls: int
    confirmed: Literal["read back", "answered", "accepted"]
    data: dict[str, Any] | None
    differences: list[ProblemItem]
    key: list[Any] | None
    run: str
    version: str | None


class UserNameToken(TypedDict):
    password_type: NotRequired[Literal["digest", "text"]]
    type: Literal["user_name_token"]
    user_name: NotRequired[str]


class UserSession(TypedDict):
    address: NotRequired[str | None]
    caller: str
    expires_at: str
    is_proven: bool
    made_at: str
    service: str
    session: NotRequired[str]
    state: Literal["begun", "signed_in"]


class UserSessionItem(TypedDict):
    caller: str
    expires_at: str
    id: str
    is_begun: bool
    made_at: str
    service: str
    used_at: str | None


class ValueDifferenceItem(TypedDict):
    after: str
    before: str
    kind: Literal["added", "removed", "changed", "retyped", "reordered"]
    path: str


class ValueOf(TypedDict):
    input: NotRequired[str]
    prepared: NotRequired[str]
    standing: NotRequired[str]
    written: NotRequired[Literal["", "backslash", "doubled", "json"]]


class ViewColumn(TypedDict):
    name: str
    type: str


class WaitingItem(TypedDict):
    environment: str
    flow: str
    kind: Literal["time", "callback", "person", "doubt", "step"]
    question: str
    run: int
    since: str
    task: str
    until: str | None


class WaitingItemPage(TypedDict):
    items: list[WaitingItem]
    next: str | None


class WaivedItem(TypedDict):
    kind: str
    message: str
    name: str
    reason: str


class Watch(TypedDict):
    enabled: NotRequired[bool]
    field: str
    record_type: str
    type: Literal["watch"]
    when: NotRequired[Literal["changes", "falls", "rises"]]


class Way(TypedDict):
    steps: NotRequired[list[AskStep | RecordsStep | DecideStep | PauseStep | EndStep]]
    title: NotRequired[str]
    when: NotRequired[list[FlowCondition]]


class Webhook(TypedDict):
    changed_at: str
    credential: str | None
    document: WebhookDocument
    environment: str
    id: str
    last_at: str | None
    name: str
    path: str
    problems: list[ProblemItem]
    title: str
    version: int
    waiting: int


class WebhookDocument(TypedDict):
    becomes: ToRecords | ToRun | ToFlow
    challenge: NotRequired[Challenge | None]
    description: NotRequired[str]
    enabled: NotRequired[bool]
    id_header: NotRequired[str]
    proof: NotRequired[Standard | Hmac | SharedHeader]


class WebhookForms(TypedDict):
    becomes: list[FormShown]
    proof: list[FormShown]


class WebhookPage(TypedDict):
    items: list[Webhook]
    next: str | None


class WhatSucceeds(TypedDict):
    type: Literal["what_succeeds"]


class Windows(TypedDict):
    end_input: str
    is_end_included: NotRequired[bool]
    max_pages: NotRequired[int]
    size: str
    start_input: str
    type: Literal["windows"]


class Write(TypedDict):
    format: NotRequired[Literal["base64", "json", "xml"]]
    type: Literal["write"]


class WrongItem(TypedDict):
    environment: str
    hint: str
    kind: str
    message: str
    name: str
    where: str
    word: str


class XmlBody(TypedDict):
    elements: NotRequired[list[XmlElement]]
    media_type: NotRequired[str]
    namespaces: NotRequired[dict[str, str]]
    root: NotRequired[str]
    type: Literal["xml"]


class XmlChild(TypedDict):
    name: str
    type: NotRequired[str]


class XmlElement(TypedDict):
    at: str
    enabled: NotRequired[bool]
    required_in: NotRequired[str | None]
    type: NotRequired[str]
    value: NotRequired[str | list[str | ValueOf] | ValueOf]


class YesNo(TypedDict):
    as_false: NotRequired[list[str]]
    as_true: NotRequired[list[str]]
    type: Literal["boolean"]


DocumentCondition = TypedDict(
    "DocumentCondition",
    {
        "from": "str | Source",
        "is": "NotRequired[Literal['absent', 'at_least', 'at_most', 'equal', 'less', 'matches', 'more', 'none_of', 'not_equal', 'one_of', 'present']]",
        "value": "NotRequired[Any]",
    },
)


class OdataCondition(TypedDict):
    operator: NotRequired[
        Literal["contains", "endswith", "eq", "ge", "gt", "has", "in", "le", "lt", "ne", "startswith"]
    ]
    property: str
    type: NotRequired[str]
    value: NotRequired[str | list[str | ValueOf] | ValueOf]
