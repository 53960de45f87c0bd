"""Kills workers, web processes, connections and PostgreSQL itself at random moments, round after round, while a feed
runs, another is due again and again, and deliveries come in; then plays the same rounds undisturbed, and tells whether
records, counts and history are the same. Nothing is measured: it is here as it takes long."""

import argparse
import os
import random
import signal
import subprocess
import sys
import time
from collections import Counter
from contextlib import suppress
from pathlib import Path

from common import whole_rondine_in
from ground import is_alive


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=50)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    with whole_rondine_in() as (rondine, cluster):
        from tests import crashes

        def kill_postgresql(_: object) -> None:
            """Its first process and all that it started, at once; as when the power goes."""
            first, port = (int((cluster.data / "postmaster.pid").read_text().splitlines()[at]) for at in (0, 3))
            started = Path(f"/proc/{first}/task/{first}/children").read_text().split()
            processes = [first, *map(int, started)]
            for process in processes:
                with suppress(ProcessLookupError):
                    os.kill(process, signal.SIGKILL)
            while any(is_alive(process) for process in processes):
                time.sleep(0.05)
            (cluster.data / "postmaster.pid").unlink(missing_ok=True)  # nobody waits for the process that has died
            with (cluster.data / "server.log").open("ab") as log:
                words = [*cluster.before, *cluster.words(port)]
                subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=log, stderr=log)

        kills = {**crashes.KILLS, "postgresql": kill_postgresql}
        chance = random.Random(args.seed)
        crashes.schedule(rondine, "due-in-crashes", "PT10S")
        disturbed = crashes.Rounds(rondine, "in-crashes", seed=args.seed)
        for number in range(args.rounds):
            began = time.monotonic()
            kill = chance.choice(list(kills))
            disturbed.play(number, kill, kills)
            run = disturbed.runs[-1]
            took = time.monotonic() - began
            print(
                f"  round {number + 1:>3}  {kill:<12} {run['state']}, attempt {run['attempt']}, {took:.1f} s",
                flush=True,
            )
        undisturbed = crashes.Rounds(rondine, "in-peace", seed=args.seed)
        for number in range(args.rounds):
            undisturbed.play(number)
        rondine.control()
        found, expected = disturbed.story(), undisturbed.story()
        times = crashes.check_schedule(rondine, "due-in-crashes")
        other = [part for part, value in expected.items() if found[part] != value]
        died = ", ".join(f"{kill} {count}" for kill, count in sorted(Counter(disturbed.died).items()))
        told = f"{times} times due, none twice; history of {len(found['changes'])} records"
        print(f"{args.rounds} rounds, killed: {died}; {told}")
        print("all is as in the undisturbed rounds" if not other else f"NOT the same: {', '.join(other)}")
    sys.exit(bool(other))


if __name__ == "__main__":
    main()
