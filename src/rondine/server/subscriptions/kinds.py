"""The kind of item of subscriptions."""

import re

from django.conf import settings

from rondine.core.errors import HostRefused, Problem, RondineError
from rondine.core.items.subscription import ByEmail, ByWebhook, OfRecords, SubscriptionDocument
from rondine.server.access.models import Person
from rondine.server.connecting.models import Credential, Environment
from rondine.server.connecting.opening import guard_of
from rondine.server.connecting.secrets import checked_origin
from rondine.server.items.kinds import ItemKind
from rondine.server.records.kinds import record_types_of
from rondine.server.records.models import RecordChange, RecordSet
from rondine.server.subscriptions.models import Event, Subscription

_ADDRESS = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")


def _subscription(item: Subscription) -> list[Problem]:
    document: SubscriptionDocument = item.loaded()
    problems = []
    if isinstance(document.about, OfRecords):
        problems += _records_problems(item, document.about, isinstance(document.by, ByEmail))
    match document.by:
        case ByWebhook(address=address):
            problems += _webhook_problems(item, address)
        case ByEmail(to=addresses):
            problems += [
                Problem(f"/by/to/{number}", f'"{address}" is no e-mail address', "such as ines@olmara.example")
                for number, address in enumerate(addresses)
                if not _ADDRESS.fullmatch(address)
            ]
            if not settings.EMAIL_HOST:
                problems.append(Problem("/by", "this installation sends no e-mail", "set RONDINE_SMTP at its workers"))
    return problems


def _records_problems(item: Subscription, about: OfRecords, is_email: bool) -> list[Problem]:
    known = record_types_of(item.project_id)
    if about.record_type not in known:
        return [Problem("/about/record_type", f'there is no record type "{about.record_type}"', "make it first")]
    problems = []
    history = known[about.record_type].history
    if history == "none" or (history == "changes" and (not about.kinds or "created" in about.kinds)):
        wanted = "all" if not about.kinds or "created" in about.kinds else "changes"
        words = f"the history of {about.record_type} is {history}, so that nothing knows of some of them"
        hint = f"set it to {wanted}: rondine record-type make {about.record_type} --set history={wanted}"
        problems.append(Problem("/about/kinds", words, hint))
    if is_email:
        problems.append(Problem("/by", "changes of records are told by webhook alone", "take a webhook"))
    return problems


def _webhook_problems(item: Subscription, address: str) -> list[Problem]:
    problems = []
    try:
        checked_origin(address, "/by/address")
        guard_of(item.project_id).permission(address)
    except HostRefused as error:
        problems.append(Problem("/by/address", error.message, error.hint))
    except RondineError as error:
        problems.append(error.as_problem())
    if item.credential is None:
        hint = "make a credential with a signing_key, and name it"
        problems.append(Problem("/credential", "what it sends would not be signed", hint))
    elif "signing_key" not in item.credential.names:
        words = f'credential "{item.credential.name}" has no signing_key'
        problems.append(
            Problem("/credential", words, f"rondine credential set {item.credential.name} --secret signing_key")
        )
    elif item.credential.environment_id != item.environment_id:
        problems.append(Problem("/credential", "it belongs to another environment", "take one of the same"))
    return problems


def newest_mark(item: Subscription) -> int:
    """The last event, or change, that there is: what happens from now on comes after it."""
    about = item.loaded().about
    if not isinstance(about, OfRecords):
        newest = Event.objects.filter(environment=item.environment).order_by("-pk").values_list("pk", flat=True).first()
        return newest or 0
    records = RecordSet.objects.filter(environment=item.environment, record_type__name=about.record_type).first()
    if records is None:
        return 0
    return RecordChange.objects.filter(set_id=records.pk).order_by("-pk").values_list("pk", flat=True).first() or 0


def _made(item: Subscription, person: Person | None, role: str | None) -> None:
    """It tells what happens from now on."""
    item.mark = newest_mark(item)
    Subscription.objects.filter(pk=item.pk).update(mark=item.mark)


SUBSCRIPTIONS = ItemKind(
    "subscriptions",
    "subscription",
    Subscription,
    SubscriptionDocument,
    {"environment": Environment, "credential": Credential},
    optional=frozenset({"credential"}),
    problems=_subscription,
    made=_made,
)
