"""People, projects, members and tokens of an installation."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.requests import Pages, Request, Resource, S, call, pages

if TYPE_CHECKING:
    import builtins
    from collections.abc import Mapping, Sequence

    from rondine_client import types


class PersonTokens(Resource[S]):
    """The tokens that act as one person: id, title, when made, last used and expiring."""

    @call
    def list(self) -> Request[builtins.list[types.Token]]:
        return self.request("GET")

    @call
    def revoke(self, token_id: int) -> Request[None]:
        return self.request("DELETE", f"/{token_id}")


class Tokens(PersonTokens[S]):
    """One's own."""

    def __init__(self, client: S) -> None:
        super().__init__(client, "/session/tokens")

    @call
    def make(self, /, title: str, **life: int | None) -> Request[types.MadeToken]:
        """Another one; its `token` is shown this once. days: how long it lasts, None for ever; 90 if left out."""
        return self.request("POST", body={"title": title, **life})


class People(Resource[S]):
    """The people of the installation; for its administrators."""

    def __init__(self, client: S) -> None:
        super().__init__(client, "/people")

    @call
    def list(self) -> Request[builtins.list[types.Person]]:
        return self.request("GET")

    @call
    def get(self, name: str) -> Request[types.Person]:
        return self.request("GET", f"/{step(name)}")

    @call
    def make(self, /, name: str, **content: Any) -> Request[types.MadePerson]:
        """content: title, password, is_administrator. Without a password one is made up: `made_password`, shown this
        once."""
        return self.request("POST", body={"name": name, **content})

    @call
    def change(self, /, name: str, **content: Any) -> Request[types.Person]:
        """content: title, is_active, is_administrator."""
        return self.request("PATCH", f"/{step(name)}", content)

    @call
    def reset_password(self, name: str, password: str | None = None) -> Request[str | None]:
        """Sets it and ends the person's sessions and tokens. Gives the one that was made up, if none was given."""
        body = {} if password is None else {"password": password}
        return self.request("PUT", f"/{step(name)}/password", body, member="made_password")

    def tokens(self, name: str) -> PersonTokens[S]:
        return PersonTokens(self.client, f"{self.path}/{step(name)}/tokens")


class Projects(Resource[S]):
    """The projects that one belongs to; all of them for an administrator of the installation."""

    def __init__(self, client: S) -> None:
        super().__init__(client, "/projects")

    @call
    def list(self) -> Request[builtins.list[types.Project]]:
        return self.request("GET")

    @call
    def get(self, name: str) -> Request[types.Project]:
        return self.request("GET", f"/{step(name)}")

    @call
    def make(self, name: str, title: str = "") -> Request[types.Project]:
        """An empty project; whoever makes it is its first administrator."""
        return self.request("POST", body={"name": name, **({"title": title} if title else {})})

    @call
    def change(self, name: str, *, title: str) -> Request[types.Project]:
        return self.request("PATCH", f"/{step(name)}", {"title": title})

    @call
    def remove(self, name: str) -> Request[None]:
        """Raises RondineProblem (conflict) as long as anything is in it."""
        return self.request("DELETE", f"/{step(name)}")


class Members(Resource[S]):
    """Who belongs to a project, and their roles."""

    @call
    def list(self) -> Request[builtins.list[types.ProjectMember]]:
        return self.request("GET")

    @call
    def set(self, person: str, role: str) -> Request[types.ProjectMember]:
        """role: viewer, operator, builder or administrator."""
        return self.request("PUT", f"/{step(person)}", {"role": role})

    @call
    def remove(self, person: str) -> Request[None]:
        return self.request("DELETE", f"/{step(person)}")


class Environments(Resource[S]):
    """The environments of a project, such as test and live."""

    @call
    def list(self) -> Request[builtins.list[types.Environment]]:
        """Each with what is missing in it: [{name, is_protected, missing: [{where, message, hint}], ...}]."""
        return self.request("GET")

    @call
    def get(self, name: str) -> Request[types.Environment]:
        return self.request("GET", f"/{step(name)}")

    @call
    def make(self, /, name: str, **content: Any) -> Request[types.Environment]:
        """content: title, description, is_protected, callback (the address that services send browsers back to)."""
        return self.request("POST", body={"name": name, **content})

    @call
    def change(self, /, name: str, **content: Any) -> Request[types.Environment]:
        return self.request("PATCH", f"/{step(name)}", content)

    @call
    def remove(self, name: str) -> Request[None]:
        return self.request("DELETE", f"/{step(name)}")

    @call
    def prove_callback(self, name: str) -> Request[str]:
        """What a browser that is signed in opens, within ten minutes, to prove that the environment's callback address
        leads here."""
        return self.request("POST", f"/{step(name)}/callback-proof", member="address")

    @call
    def use_release(self, name: str, release: int | None, *, why: str = "") -> Request[types.Switch]:
        """What begins in it from now on goes by the release, or by the draft (None): {environment, before, after}."""
        return self.request("PUT", f"/{step(name)}/release", {"release": release, "why": why})

    @call
    def roll_back(self, name: str, *, why: str = "") -> Request[types.Switch]:
        """It goes by what it went by before: {environment, before, after}."""
        return self.request("POST", f"/{step(name)}/release/back", {"why": why})

    @call
    def switches(self, name: str) -> Request[builtins.list[types.Switch]]:
        """What it went by, the newest first: [{before, after, is_back, why, by, at}]; null is the draft."""
        return self.request("GET", f"/{step(name)}/switches")

    @call
    def checklist(self, name: str, release: int | None = None) -> Request[builtins.list[types.LackingItem]]:
        """What it lacks to go by a release, or by the draft (None): [{what, message, hint, who}]."""
        query = {} if release is None else {"release": release}
        return self.request("GET", f"/{step(name)}/checklist", query=query)


class Releases(Resource[S]):
    """The numbered states of a project's items."""

    @pages
    def search(self, *, limit: int | None = None) -> Pages[types.Release]:
        """The newest first."""
        return Pages(self.request("GET", "/releases", query={"limit": min(limit or 100, 100)}), limit=limit)

    @call
    def get(self, number: int) -> Request[types.Release]:
        return self.request("GET", f"/releases/{number}")

    @call
    def contents(self, number: int) -> Request[builtins.list[types.ReleasedItemShown]]:
        """[{kind, name, title, version, at}]."""
        return self.request("GET", f"/releases/{number}/contents")

    @call
    def check(self) -> Request[builtins.list[types.UnreadyItem]]:
        """What keeps the draft from being released: [{kind, name, problems}]."""
        return self.request("GET", "/release-check")

    @call
    def fixed_values(self) -> Request[types.FixedValuesShown]:
        """Values that are written into operations and mappings: {items: [{kind, item, version, place, name, value,
        is_guess, becomes}], is_all}."""
        return self.request("GET", "/fixed-values")

    @call
    def name_value(
        self, kind: str, item: str, place: str, *, version: int, name: str = ""
    ) -> Request[types.NamedValueShown]:
        """Puts an input in place of an operation's fixed value, or a standing value in place of a mapping's; it asks
        for, and keeps, the same: {version, becomes, name}. version: of the item, as it was seen."""
        body = {"kind": kind, "item": item, "place": place, "name": name}
        return self.request("POST", "/fixed-values", body, version=version)

    @call
    def make(self, notes: str = "", *, waive: Sequence[Mapping[str, str]] = ()) -> Request[types.Release]:
        """Releases the draft as it is now. waive: [{kind, name, reason}] of items that are not ready."""
        return self.request("POST", "/releases", {"notes": notes, "waive": list(waive)})

    @call
    def compare(
        self, before: int | None, after: int | None = None
    ) -> Request[builtins.list[types.ReleaseDifferenceItem]]:
        """What differs from one to the other, item by item: [{kind, name, what, differences}]. None: the draft."""
        states = {"before": before or "draft", "after": after or "draft"}
        return self.request("GET", "/release-differences", query=states)

    @call
    def withdraw(self, number: int, *, why: str = "") -> Request[types.Release]:
        """No environment goes over to it any more."""
        return self.request("POST", f"/releases/{number}/withdraw", {"why": why})


class Hosts(Resource[S]):
    """The hosts that a project's requests may go to."""

    @call
    def list(self) -> Request[builtins.list[types.Host]]:
        return self.request("GET")

    @call
    def permit(self, host: str, port: int | None = None, *, is_private: bool = False) -> Request[types.Host]:
        """port: None for any.  is_private: it may be at a private or loopback address."""
        return self.request("POST", body={"host": host, "port": port, "is_private": is_private})

    @call
    def remove(self, host_id: int) -> Request[None]:
        return self.request("DELETE", f"/{host_id}")


class Names(Resource[S]):
    """How things are named in a project."""

    @call
    def rule(self) -> Request[types.NamingRule]:
        """The rule by which names are proposed: what differs from the usual one."""
        return self.request("GET", "/naming", member="rule")

    @call
    def set_rule(self, /, **rule: Any) -> Request[types.NamingRule]:
        """rule: separator and field_separator ("-" or "_"), service_first, feeds_begin; what is left out is as usual.
        Nothing is renamed."""
        return self.request("PUT", "/naming", {"rule": rule}, member="rule")

    @call
    def propose(self, kind: str, text: str, *, service: str = "") -> Request[types.NameProposed]:
        """A name for an item (service, operation, record type, mapping, feed ...) or a field: {name, wanted,
        is_taken}."""
        return self.request("POST", "/names", {"kind": kind, "text": text, "service": service})
