"""Which workers live, and at which site each runs."""

import os
import socket
from datetime import timedelta

from django.utils import timezone

from rondine.server.runs.models import Worker

#: A worker that has not been heard of for this long is taken for dead.
SILENT = timedelta(seconds=20)


def say_here(site: str) -> None:
    """Says that this process works, and forgets those long dead."""
    now = timezone.now()
    name = f"{socket.gethostname()}:{os.getpid()}"
    Worker.objects.update_or_create(name=name, defaults={"site": site, "alive_at": now})
    Worker.objects.filter(alive_at__lt=now - 10 * SILENT).delete()


def say_gone() -> None:
    Worker.objects.filter(name=f"{socket.gethostname()}:{os.getpid()}").delete()


def live_sites() -> set[str]:
    """The sites with a living worker; "" is served by every worker."""
    sites = set(Worker.objects.filter(alive_at__gt=timezone.now() - SILENT).values_list("site", flat=True))
    return sites | {""} if sites else set()


def queue_of(site: str, *, is_long: bool = False) -> str:
    """The queue whose jobs the workers of a site run. is_long: of runs that are likely to take long."""
    queue = "long runs" if is_long else "runs"
    return f"{queue}@{site}" if site else queue
