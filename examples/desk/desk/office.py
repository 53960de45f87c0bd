"""Rondine, as the desk uses it: one client for all requests, and failures as words for people."""

from collections.abc import Callable
from typing import Any

from django.conf import settings

from rondine_client import Application, RondineProblem

_AT = settings.RONDINE
# people wait for pages: one that says why, and may be loaded again, is better than one that tries by itself
office = Application(_AT["project"], _AT["environment"], token=_AT["token"], url=_AT["url"], retries=0, timeout=15)


def asked(call: Callable[[], Any]) -> tuple[Any, RondineProblem | None]:
    """(what a call gives, None), or (None, why it gives nothing): a page shows either."""
    try:
        return call(), None
    except RondineProblem as problem:
        return None, problem
