"""What the client raises: the service's problem documents (RFC 9457), and that there is no service."""

from typing import Any


class RondineProblem(Exception):
    """The service refused or failed. code: stable, for programs.  where, hint: the place, and what to do.  problems:
    every single one.  may_pass: the same request may succeed a while later.  retry_after: seconds, where the service
    names them."""

    def __init__(self, document: dict[str, Any]) -> None:
        self.document = document
        self.status: int = document.get("status", 0)
        self.code: str = document.get("code", "error")
        self.message: str = document.get("detail", "the service answered with an error")
        self.where: str = document.get("where", "")
        self.hint: str = document.get("hint", "")
        self.problems: list[dict[str, str]] = document.get("problems", [])
        self.may_pass: bool = document.get("may_pass", False)
        self.retry_after: float | None = None
        super().__init__(f"{self.where}: {self.message}" if self.where else self.message)


class Unreachable(RondineProblem):
    """There is no service at the address, or it does not respond."""

    def __init__(self, url: str, reason: str) -> None:
        super().__init__(
            {
                "status": 0,
                "code": "unreachable",
                "may_pass": True,
                "detail": f"cannot reach Rondine at {url} ({reason})",
                "hint": "start the service (./start), or name another with --url or RONDINE_URL",
            }
        )
