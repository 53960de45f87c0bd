"""People, projects, members and tokens of an installation."""

from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step

if TYPE_CHECKING:
    from rondine_client.client import Client

Json = dict[str, Any]


class Tokens:
    """The tokens that act as one person: id, title, when made, last used and expiring."""

    def __init__(self, client: "Client", path: str = "/session/tokens") -> None:
        self._client, self._path = client, path

    def list(self) -> list[Json]:
        found: list[Json] = self._client.ask("GET", self._path)
        return found

    def make(self, title: str, **life: int | None) -> Json:
        """Another token of one's own; its `token` is shown this once. days: how long it lasts, None for ever; 90 if
        left out."""
        made: Json = self._client.ask("POST", self._path, {"title": title, **life})
        return made

    def revoke(self, token_id: int) -> None:
        self._client.ask("DELETE", f"{self._path}/{token_id}")


class People:
    """The people of the installation; for its administrators."""

    def __init__(self, client: "Client") -> None:
        self._client = client

    def list(self) -> list[Json]:
        found: list[Json] = self._client.ask("GET", "/people")
        return found

    def make(self, name: str, **content: Any) -> Json:
        """content: title, password, is_administrator. Without a password one is made up: `made_password`, shown this
        once."""
        made: Json = self._client.ask("POST", "/people", {"name": name, **content})
        return made

    def change(self, name: str, **content: Any) -> Json:
        """content: title, is_active, is_administrator."""
        changed: Json = self._client.ask("PATCH", _person(name), content)
        return changed

    def reset_password(self, name: str, password: str | None = None) -> str | None:
        """Sets it and ends the person's sessions and tokens. Gives the one that was made up, if none was given."""
        body = {} if password is None else {"password": password}
        made: str | None = self._client.ask("PUT", f"{_person(name)}/password", body)["made_password"]
        return made

    def tokens(self, name: str) -> Tokens:
        return Tokens(self._client, f"{_person(name)}/tokens")


def _person(name: str) -> str:
    return f"/people/{step(name)}"


class Projects:
    """The projects that one belongs to; all of them for an administrator of the installation."""

    def __init__(self, client: "Client") -> None:
        self._client = client

    def list(self) -> list[Json]:
        found: list[Json] = self._client.ask("GET", "/projects")
        return found

    def make(self, name: str, title: str = "") -> Json:
        """An empty project; whoever makes it is its first administrator."""
        made: Json = self._client.ask("POST", "/projects", {"name": name, **({"title": title} if title else {})})
        return made

    def change(self, name: str, *, title: str) -> Json:
        changed: Json = self._client.ask("PATCH", f"/projects/{step(name)}", {"title": title})
        return changed

    def remove(self, name: str) -> None:
        """Raises RondineProblem (conflict) as long as anything is in it."""
        self._client.ask("DELETE", f"/projects/{step(name)}")


class Members:
    """Who belongs to a project, and their roles."""

    def __init__(self, client: "Client", project: str) -> None:
        self._client, self._path = client, f"{project}/members"

    def list(self) -> list[Json]:
        found: list[Json] = self._client.ask("GET", self._path)
        return found

    def set(self, person: str, role: str) -> Json:
        """role: viewer, operator, builder or administrator."""
        made: Json = self._client.ask("PUT", f"{self._path}/{step(person)}", {"role": role})
        return made

    def remove(self, person: str) -> None:
        self._client.ask("DELETE", f"{self._path}/{step(person)}")
