"""tools/wheel: the wheel with the console in it. A folder given as the only word is where it goes (default: dist)."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from ground import ROOT, VENV, Failed, build_console, debian_packages, ended_by, in_parallel, python_packages, run, say


def main() -> int:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "dist"
    try:
        debian_packages()
        in_parallel(lambda: python_packages("requirements-dev.lock"), build_console)
        python = str(VENV / "bin" / "python")
        run(
            [
                str(VENV / "bin" / "uv"),
                "build",
                "--quiet",
                "--wheel",
                "--no-build-isolation",
                "--python",
                python,
                "--out-dir",
                str(folder),
            ]
        )
    except Failed as failure:
        return ended_by(failure)
    say(f"  ✓ {max(folder.glob('rondine-*.whl'), key=lambda path: path.stat().st_mtime)}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
