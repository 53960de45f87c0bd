"""./test: sets up what the tests need, then runs all of them; words given go on to pytest."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from ground import (
    CONSOLE,
    ROOT,
    VAR,
    VENV,
    Cluster,
    Failed,
    build_console,
    debian_packages,
    die_with_parent,
    ended_by,
    in_parallel,
    node,
    python_packages,
    run,
    say,
    step,
)

#: Two at a time, each with a whole Rondine of its own; the tests of a file stay together, as some build on each other.
IN_PARALLEL = ["-n", "2", "--dist", "loadfile", "--no-loadscope-reorder", "--durations=15"]
#: Nobody needs the test data after a crash.
FAST = "-c fsync=off -c synchronous_commit=off -c full_page_writes=off -c max_connections=200"


def main() -> int:
    try:
        debian_packages(browser=True)
        cluster = Cluster(VAR / "test-postgres", 18242, options=FAST)
        in_parallel(lambda: python_packages("requirements-dev.lock"), build_console, cluster.start)
    except Failed as failure:
        return ended_by(failure)
    try:
        if len(sys.argv) == 1:
            check()
        home = VAR / "test-home"
        home.mkdir(parents=True, exist_ok=True)
        env = {
            **os.environ,
            "RONDINE_DATABASE": cluster.uri("postgres"),
            "RONDINE_HOME": str(home),
            "PYTHONPATH": str(ROOT / "src"),
        }
        env.pop("PYTHONDONTWRITEBYTECODE", None)
        return subprocess.run(
            [str(VENV / "bin" / "python"), "-m", "pytest", *(sys.argv[1:] or IN_PARALLEL)],
            cwd=ROOT,
            env=env,
            check=False,
            preexec_fn=die_with_parent,
        ).returncode
    except Failed as failure:
        return ended_by(failure)
    finally:
        cluster.stop()


def check() -> None:
    """What reads the code rather than runs it."""
    with step("ruff"):
        run(
            [str(VENV / "bin" / "ruff"), "check", "src", "tests", "tools", "speed"],
            hint="./.venv/bin/ruff check --fix mends most of it",
        )
    with step("ruff format"):
        run(
            [str(VENV / "bin" / "ruff"), "format", "--check", "src", "tests", "tools", "speed"],
            hint="./.venv/bin/ruff format src tests tools speed",
        )
    with step("mypy"):
        packages = [word for name in ("rondine", "rondine_cli", "rondine_client") for word in ("-p", name)]
        run([str(VENV / "bin" / "mypy"), *packages], env={"RONDINE_HOME": str(VAR / "test-home")})
    with step("the console: types, format, lint and what it computes"):
        npm = node()
        for name in ("check", "test"):
            path = f"{Path(npm[0]).parent}:{os.environ.get('PATH', '')}"
            run([*npm, "run", name], cwd=CONSOLE, env={"PATH": path}, hint="in console/: npx prettier --write .")
    with step("the console's client fits the API's description"), tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "schema.d.ts"
        npm = node()
        words = [
            *npm,
            "exec",
            "--",
            "openapi-typescript",
            "../docs/openapi.json",
            "-o",
            str(made),
            "--default-non-nullable=false",
        ]
        run(words, cwd=CONSOLE, env={"PATH": f"{Path(npm[0]).parent}:{os.environ.get('PATH', '')}"})
        if made.read_text() != (CONSOLE / "src" / "api" / "schema.d.ts").read_text():
            raise Failed("console/src/api/schema.d.ts is stale", "in console/: npm run api")
    for lock in [*ROOT.glob("requirements*.lock"), CONSOLE / "package-lock.json"]:
        text = lock.read_text()
        if '"resolved"' in text or ("://" in text and lock.suffix == ".lock"):
            raise Failed(
                f"{lock.name} holds download addresses",
                "write it anew with tools/lock, or npm with the settings of console/.npmrc",
            )
    say("  ✓ checks")


if __name__ == "__main__":
    sys.exit(main())
