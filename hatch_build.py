"""Puts the built console and the API's description into the wheel."""

from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class ConsoleInWheel(BuildHookInterface):
    """A wheel from a tree whose console is not built has none, and the service then says so; tools/wheel builds it first."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        if self.target_name == "wheel":
            description = Path(self.root) / "docs" / "openapi.json"
            build_data["force_include"][str(description)] = "rondine/server/openapi.json"
        built = Path(self.root) / "console" / "dist"
        if (built / "index.html").exists():
            build_data["force_include"][str(built)] = "rondine/server/console"
        elif self.target_name == "wheel":
            self.app.display_warning("console/dist is not built: this wheel has no console (tools/wheel builds both)")
