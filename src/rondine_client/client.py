"""The connection to a service: address, token, and one way to ask."""

import json
import logging
from collections.abc import Callable, Iterator, Mapping, Sequence
from types import TracebackType
from typing import Any, BinaryIO

import httpx

from rondine_client.administration import People, Projects, Tokens
from rondine_client.errors import RondineProblem, Unreachable
from rondine_client.project import Project

# httpx writes whole addresses to the log at INFO, and addresses may hold what should not be there
logging.getLogger("httpx").setLevel(logging.WARNING)


#: A response in a file: its name, its bytes or a file open for reading them, its media type.
Content = tuple[str, bytes | BinaryIO, str]
UNKNOWN = "application/octet-stream"


class Client:
    """url: of the service.  token: from `sign_in`, or made in the console.  timeout: seconds for one answer; trials may
    take that long.

    Raises RondineProblem for whatever the service refuses, Unreachable if there is none.
    """

    def __init__(
        self, url: str = "http://127.0.0.1:18200", token: str | None = None, *, timeout: float = 150.0
    ) -> None:
        self.url = url.rstrip("/")
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        # loading the certificates takes longer than most commands; plain http has no use for them
        self._http = httpx.Client(
            base_url=f"{self.url}/api/v1",
            headers=headers,
            timeout=timeout,
            follow_redirects=False,
            verify=self.url.startswith("https:"),
        )
        self.people, self.projects, self.tokens = People(self), Projects(self), Tokens(self)

    def __enter__(self) -> "Client":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._http.close()

    def sign_in(self, name: str, password: str, title: str = "client") -> str:
        """A token for name and password; this client uses it from now on."""
        self._http.headers.pop("Authorization", None)  # an old token that has ended is no reason to refuse a password
        token: str = self.ask("POST", "/tokens", {"name": name, "password": password, "title": title})["token"]
        self._http.headers["Authorization"] = f"Bearer {token}"
        return token

    def sign_out(self) -> None:
        """Ends the token."""
        self.ask("DELETE", "/tokens")

    def change_password(self, password: str, new_password: str) -> None:
        """One's own; ends one's sessions and all tokens but this client's."""
        self.ask("PUT", "/session/password", {"password": password, "new_password": new_password})

    def session(self) -> dict[str, Any]:
        """Who this is: name, title, projects with role and permissions."""
        answer: dict[str, Any] = self.ask("GET", "/session")
        return answer

    def project(self, name: str) -> Project:
        return Project(self, name)

    def ask(
        self,
        method: str,
        path: str,
        body: Any = None,
        *,
        query: Mapping[str, Any] | None = None,
        version: int | None = None,
        mark: str | None = None,
    ) -> Any:
        """One request below /api/v1; the answer's JSON, None if it has none. version: of the item that is changed.
        mark: its Idempotency-Key."""
        headers = {"If-Match": f'"{version}"'} if version is not None else {}
        if mark is not None:
            headers["Idempotency-Key"] = mark
        params = {name: value for name, value in (query or {}).items() if value is not None}
        response = self._sent(method, path, json=body, params=params, headers=headers)
        return response.json() if response.content else None

    def ask_of(self, path: str, contents: Sequence[Content], asked: Any) -> Any:
        """A question about responses that go with it: (name, what is in it, media type) each; they are kept nowhere."""
        return self._sent("POST", path, **_parts(contents, asked)).json()

    def lines_of(self, path: str, content: Content, asked: Any) -> Iterator[dict[str, Any]]:
        """As `ask_of`, answered line by line, as they come."""
        return self._lines(path, **_parts([content], asked))

    def download(self, path: str) -> bytes:
        """The bytes at a path below /api/v1."""
        return self._sent("GET", path).content

    def told(
        self,
        path: str,
        body: Any,
        report: Callable[[Mapping[str, Any]], None],
        *,
        query: Mapping[str, Any] | None = None,
    ) -> Any:
        """A POST below /api/v1 whose answer comes line by line: `report` is given {what, done, of} as it goes on; the
        result is returned."""
        for line in self._lines(path, json=body, params=dict(query or {})):
            if "progress" not in line:
                return line["result"]
            report(line["progress"])
        raise Unreachable(self.url, "the answer broke off")

    def _sent(self, method: str, path: str, **content: Any) -> httpx.Response:
        """A good response, whole. content: as httpx takes it."""
        try:
            response = self._http.request(method, path, **content)
        except httpx.HTTPError as error:
            raise Unreachable(self.url, _reason(error)) from error
        if response.status_code >= 400:
            raise _problem(response)
        return response

    def _lines(self, path: str, **content: Any) -> Iterator[dict[str, Any]]:
        """The lines of the answer to a POST; one that is a problem is raised."""
        waits = httpx.Timeout(30.0, read=600.0, write=600.0)
        try:
            with self._http.stream("POST", path, timeout=waits, **content) as response:
                if response.status_code >= 400:
                    response.read()
                    raise _problem(response)
                for text in response.iter_lines():
                    line = json.loads(text)
                    if "problem" in line:
                        raise RondineProblem(line["problem"])
                    yield line
        except httpx.HTTPError as error:
            raise Unreachable(self.url, _reason(error)) from error

    def events(self, path: str) -> Iterator[dict[str, Any]]:
        """The data of each event of a stream, as it comes."""
        try:
            with self._http.stream("GET", path, timeout=httpx.Timeout(30.0, read=60.0)) as response:
                if response.status_code >= 400:
                    response.read()
                    raise _problem(response)
                for line in response.iter_lines():
                    if line.startswith("data: "):
                        yield json.loads(line[6:])
        except httpx.HTTPError as error:
            raise Unreachable(self.url, _reason(error)) from error


def _parts(contents: Sequence[Content], asked: Any) -> dict[str, Any]:
    files = [("content", (name, content, media_type)) for name, content, media_type in contents]
    return {"files": files, "data": {"asked": json.dumps(asked)}}


def _problem(response: httpx.Response) -> RondineProblem:
    try:
        document = response.json()
    except ValueError:
        document = None
    if not isinstance(document, dict):
        document = {
            "status": response.status_code,
            "detail": f"the address answered {response.status_code}, and not as Rondine does",
            "hint": "check --url",
        }
    return RondineProblem(document)


def _reason(error: httpx.HTTPError) -> str:
    if isinstance(error, httpx.TimeoutException):
        return "no answer in time"
    text = str(error)
    return "connection refused" if "refused" in text.lower() else text or type(error).__name__
