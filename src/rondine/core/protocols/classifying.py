"""What a response means: by the operation's own rules, by the forms of errors that the standards have, and by its
status."""

from rondine.core.documents.json import json_text
from rondine.core.documents.members import MISSING
from rondine.core.documents.reading import ReadDocument, text_of_body
from rondine.core.errors import short
from rondine.core.mapping.taking import holds_in, is_nothing_in, mapping_inputs, value_in
from rondine.core.operations.document import OutcomeRules
from rondine.core.operations.outcome import Headers, Outcome, by_status, service_message
from rondine.core.protocols.error_forms import ERROR_FORMS

#: Bytes at a body's beginning in which the text of a failure is looked for.
HEAD = 64 * 1024
USUAL_RULES = OutcomeRules()
_OWN = "look at its message; the operation's own rules take this response for a failure"


def classify_response(
    rules: OutcomeRules, status: int, read: ReadDocument, headers: Headers = (), *, head: bytes = b"", charset: str = ""
) -> Outcome:
    """read: the body; a value of None if there is none that could be read.  head: the beginning of its bytes, for rules
    that look for a text."""
    nothing = Outcome(True, "nothing was found", "", "", "nothing_found")
    if status in rules.nothing_found.statuses:
        return nothing
    for name, form in ERROR_FORMS.items():
        if (rules.forms is None or name in rules.forms) and (outcome := form(status, read, headers)) is not None:
            usual = outcome
            break
    else:
        usual = by_status(status, read.value, headers)
    if not usual.is_good:
        return usual
    if (told := failed_by_text(rules, head, charset)) is not None:
        return told
    if read.value is None:
        return usual
    inputs = mapping_inputs({}, headers=headers)
    for rule in rules.failures:
        if rule.when and all(holds_in(read, condition, inputs) for condition in rule.when):
            value = value_in(read, rule.message, inputs) if rule.message is not None else MISSING
            text = "" if value is MISSING or value is None else value if isinstance(value, str) else json_text(value)
            return Outcome(False, "the service says that it failed", _OWN, text[:500] or service_message(read.value))
    if rules.nothing_found.empty is not None and is_nothing_in(read, rules.nothing_found.empty):
        return nothing
    return usual


def failed_by_text(rules: OutcomeRules, head: bytes, charset: str = "") -> Outcome | None:
    """The failure that a text in a body tells of, whether it can be read or not; its message is the line with the text.
    None if no rule finds one."""
    texts = [rule.text for rule in rules.failures if rule.text]
    if not texts or not head:
        return None
    lines = text_of_body(head[:HEAD], charset).splitlines()
    for text in texts:
        if line := next((line for line in lines if text in line), None):
            return Outcome(False, f"the service's answer has the text {short(text)}", _OWN, line.strip()[:500])
    return None
