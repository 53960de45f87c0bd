"""How the guided examples say what they do: numbered steps, each with the command for it, and what came of it."""

from rondine_cli.output import Output


class Telling:
    def __init__(self, out: Output) -> None:
        self.out = out
        self._steps = 0

    def step(self, title: str, command: str) -> None:
        """command: that does the same."""
        self._steps += 1
        self.out.out.print(f"\n[bold]{self._steps}. {title}[/bold]")
        self.out.out.print(f"   the command for it: {command}", style="dim", markup=False)

    def tell(self, text: str) -> None:
        for line in text.splitlines():
            self.out.out.print(f"   {line}", markup=False)
