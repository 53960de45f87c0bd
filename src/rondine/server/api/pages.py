"""The console's files and the pages around them, under a strict Content-Security-Policy."""

import functools
import json
import re
import secrets
from collections.abc import Callable
from pathlib import Path
from typing import Any

import drf_spectacular_sidecar
import psycopg
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie
from whitenoise.middleware import WhiteNoiseMiddleware

from rondine.server.api import openapi
from rondine.server.api.problems import DatabaseAway, problem_response
from rondine.server.threads import own_parameters

_HASHED = re.compile(r"-[A-Za-z0-9_-]{8,}\.\w+$")


class ContentPolicy:
    """Nothing from elsewhere, no inline script, styles only with the response's nonce."""

    async_capable = False
    sync_capable = True

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        nonce = secrets.token_urlsafe(12)
        request.nonce = nonce  # type: ignore[attr-defined]
        response = self.get_response(request)
        style = "'self' 'unsafe-inline'" if request.path.startswith("/api/v1/docs") else f"'self' 'nonce-{nonce}'"
        response.headers.setdefault(
            "Content-Security-Policy",
            f"default-src 'none'; script-src 'self'; style-src {style}; font-src 'self'; connect-src 'self'; img-src"
            " 'self' data:; manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
        )
        return response


class ConsoleFiles(WhiteNoiseMiddleware):
    """The built console and the API page's files; bytes in a plain response, since WhiteNoise's own streams block under
    ASGI."""

    def __init__(self, get_response: Any = None, settings: Any = settings) -> None:
        super().__init__(get_response, settings)
        sidecar = Path(drf_spectacular_sidecar.__file__).parent / "static" / "drf_spectacular_sidecar"
        self.add_files(str(sidecar / "swagger-ui-dist"), prefix="/static/drf_spectacular_sidecar/swagger-ui-dist/")
        if settings.CONSOLE.is_dir():
            self.add_files(str(settings.CONSOLE / "assets"), prefix="/assets/")

    def configure_from_settings(self, settings: Any) -> None:
        self.static_prefix, self.static_root = "/static/", None
        self.allow_all_origins, self.max_age, self.use_finders, self.autorefresh = False, 60, False, False
        self.charset, self.add_headers_function, self.index_file, self.root, self.mimetypes = (
            "utf-8",
            None,
            None,
            None,
            None,
        )

    def immutable_file_test(self, path: str, url: str) -> bool:
        return bool(_HASHED.search(url))

    @staticmethod
    def serve(static_file: Any, request: HttpRequest) -> HttpResponse:
        found = static_file.get_response(request.method, request.META)
        content = b"" if found.file is None else found.file.read()
        if found.file is not None:
            found.file.close()
        response = HttpResponse(content, status=found.status)
        del response["Content-Type"]
        for name, value in found.headers:
            response[name] = value
        return response


@ensure_csrf_cookie
def console(request: HttpRequest) -> HttpResponse:
    """Every page of the console: the same file, with this response's nonce in it."""
    index: Path = settings.CONSOLE / "index.html"
    if not index.exists():
        return HttpResponse(
            "This installation has no console. In the source tree ./start builds it, and tools/wheel builds a wheel"
            " that carries it; the command line and /api/v1 work without.",
            content_type="text/plain",
            status=503,
        )
    page = index.read_text().replace("__CSP_NONCE__", request.nonce)  # type: ignore[attr-defined]
    return HttpResponse(page, headers={"Cache-Control": "no-store"})


def openapi_document(request: HttpRequest) -> HttpResponse:
    return HttpResponse(
        _description(),
        content_type="application/vnd.oai.openapi+json;version=3.1",
        headers={"Cache-Control": "no-cache"},
    )


@functools.cache
def _description() -> bytes:
    """As it was written when this version was made; otherwise made now, which takes seconds of everybody's time."""
    path: Path = settings.DESCRIPTION
    document = json.loads(path.read_bytes()) if path.is_file() else openapi.document()
    return json.dumps(document).encode()


def health(request: HttpRequest) -> HttpResponse:
    """Whether the service and its database respond; if not, 503 with the cause."""
    try:
        # a connection of its own: that of a pool would come, or not come, without saying why
        with psycopg.connect(**own_parameters(), connect_timeout=5) as own:
            own.execute("SELECT 1")
    except psycopg.OperationalError as error:
        words = " ".join(str(error).split())[:300]
        return problem_response(
            DatabaseAway(
                f"the database does not respond: {words}",
                where="PostgreSQL",
                hint="an operator looks at: ./start --status",
            )
        )
    return HttpResponse("ok", content_type="text/plain")
