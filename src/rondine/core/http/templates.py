"""URI templates (RFC 6570): whether a text is one, the names in it, and what it comes to."""

import re
from collections.abc import Mapping

import uritemplate

_EXPRESSION = re.compile(r"\{([^{}]*)\}")
_NAME = r"(?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2})(?:\.?(?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2}))*"
_SPEC = rf"{_NAME}(?:\*|:[1-9]\d{{0,3}})?"
_EXPRESSION_INSIDE = re.compile(rf"[+#./;?&]?{_SPEC}(?:,{_SPEC})*", re.ASCII)
#: A name of which only so many characters are taken (section 2.4.1).
PREFIXED = re.compile(rf"(?<=[{{+#./;?&,])({_NAME}):\d+(?=[,}}])")


def template_fault(template: str) -> str:
    """Why a text is not a template (RFC 6570, section 2), empty for one."""
    if re.search(r"[{}]", _EXPRESSION.sub("", template)):
        return "the braces do not match"
    for expression in _EXPRESSION.finditer(template):
        if not _EXPRESSION_INSIDE.fullmatch(expression.group(1)):
            return f'"{expression.group(0)[:60]}" is not a placeholder'
    return ""


def template_names(template: str) -> list[str]:
    """The names in a template, in their order; none if it is not well-formed."""
    return [] if template_fault(template) else list(uritemplate.variables(template))


def expand_address(address: str, blanks: Mapping[str, str]) -> str:
    """An address with its blanks filled in; as it is, if it is not a well-formed template."""
    if "{" not in address or template_fault(address):
        return address
    return str(uritemplate.expand(address, dict(blanks)))
