"""Which workers live, and at which place each stands."""

import os
import socket
from datetime import timedelta

from django.utils import timezone

from rondine.server.runs.models import Worker

#: A worker that has not been heard of for this long is taken for dead.
SILENT = timedelta(seconds=20)


def say_here(place: str) -> None:
    """Says that this process works, and forgets those long dead."""
    now = timezone.now()
    name = f"{socket.gethostname()}:{os.getpid()}"
    Worker.objects.update_or_create(name=name, defaults={"place": place, "alive_at": now})
    Worker.objects.filter(alive_at__lt=now - 10 * SILENT).delete()


def say_gone() -> None:
    Worker.objects.filter(name=f"{socket.gethostname()}:{os.getpid()}").delete()


def live_places() -> set[str]:
    """The places with a living worker; "" is served by every worker."""
    places = set(Worker.objects.filter(alive_at__gt=timezone.now() - SILENT).values_list("place", flat=True))
    return places | {""} if places else set()


def queue_of(place: str) -> str:
    """The queue whose jobs the workers of a place carry out."""
    return f"runs@{place}" if place else "runs"
