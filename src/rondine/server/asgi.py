"""The service as an ASGI application: Django, and beside it the event streams, which wait for hours and must not cost a
thread, the applications' door, which must be quick, and the stand-ins of services, which may be slow on purpose."""

import os
import re
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rondine.server.settings")

from django.core.asgi import get_asgi_application

django_application = get_asgi_application()

from rondine.server.api.door import Door  # noqa: E402
from rondine.server.applications.use import ADDRESS, serve  # noqa: E402
from rondine.server.operations.standing_in import ADDRESS as STAND_INS  # noqa: E402
from rondine.server.operations.standing_in import serve as serve_stand_in  # noqa: E402
from rondine.server.runs.streams import stream_run  # noqa: E402

_EVENTS = re.compile(r"/api/v1/projects/([a-z0-9_-]+)/runs/(\d{1,18})/events")


async def _application(scope: Any, receive: Any, send: Any) -> None:
    if scope["type"] == "http" and (found := _EVENTS.fullmatch(scope["path"])):
        await stream_run(scope, receive, send, found.group(1), int(found.group(2)))
    elif scope["type"] == "http" and (found := ADDRESS.fullmatch(scope["path"])):
        await serve(scope, receive, send, found.group(1), found.group(2))
    elif scope["type"] == "http" and (found := STAND_INS.fullmatch(scope["path"])):
        await serve_stand_in(scope, receive, send, found.group(1), found.group(2), found.group(3))
    else:
        await django_application(scope, receive, send)


application = Door(_application)
