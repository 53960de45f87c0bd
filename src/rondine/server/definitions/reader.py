"""Large definitions are read in a process of their own, so that the web process answers others meanwhile; it has
bounded memory and can be ended.

The process gets the files on its standard input and answers in frames on its standard output: progress, and at last the
definition or what is wrong with it. It imports the core alone. `python -m rondine.server.definitions.reader` is that
process.
"""

import pickle
import resource
import signal
import struct
import subprocess
import sys
import threading
from collections.abc import Mapping
from typing import IO, Any

from rondine.core import errors
from rondine.core.definitions import Definition, Files, read_definition
from rondine.core.definitions.files import Report
from rondine.core.errors import DocumentError, RondineError

#: Bytes of all files from which on it is worth a process, which takes half a second to start.
WORTH_A_PROCESS = 512 * 1024
#: Bytes that reading may take.
MOST_MEMORY = 3 * 1024**3
_LENGTH = struct.Struct("!Q")


def read_in_own_process(
    main: str,
    contents: Mapping[str, bytes],
    address: str,
    report: Report,
    most_memory: int = MOST_MEMORY,
    *,
    part: str = "",
) -> Definition:
    """As `read_definition`, in a process of its own. report: may raise, which ends the process.

    Raises DocumentError also if it needs more than most_memory bytes or is ended by a signal (a parser in C may crash
    where memory is refused, and the system kills what takes too much), and RuntimeError if the process ends by itself
    without an answer.
    """
    process = subprocess.Popen(
        [sys.executable, "-m", "rondine.server.definitions.reader", str(most_memory)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    )
    assert process.stdin is not None and process.stdout is not None
    # written beside reading, as it may begin to answer before it has all
    writer = threading.Thread(target=_feed, args=(process.stdin, (main, dict(contents), address, part)), daemon=True)
    writer.start()
    try:
        while (frame := _read_frame(process.stdout)) is not None:
            kind, value = frame
            if kind == "progress":
                report(*value)
            elif kind == "error":
                raise _error_of(value)
            elif kind == "memory":
                raise _too_large(main, f"reading it takes more than {most_memory // 1024**2} MB of memory")
            else:
                definition: Definition = value
                return definition
        ended = process.wait()
    finally:
        process.kill()
        process.wait()
        writer.join()
        process.stdout.close()
    if ended < 0:
        name = signal.Signals(-ended).name
        raise _too_large(
            main,
            f"the process that reads it was ended by {name}, as happens when it needs more memory than it may take "
            f"({most_memory // 1024**2} MB)",
        )
    raise RuntimeError(f"the process that reads {main} ended without an answer, with status {ended}")


def _too_large(name: str, message: str) -> DocumentError:
    return DocumentError(message, where=name, hint="split it, and import the parts one by one")


def _feed(stream: IO[bytes], value: Any) -> None:
    try:
        with stream:
            pickle.dump(value, stream)
    except (BrokenPipeError, ValueError):  # it has ended; its answer says why
        pass


def _read_frame(stream: IO[bytes]) -> tuple[str, Any] | None:
    """The next frame, None at the end."""
    head = stream.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        return None
    body = stream.read(_LENGTH.unpack(head)[0])
    frame: tuple[str, Any] = pickle.loads(body)
    return frame


def _write_frame(stream: IO[bytes], kind: str, value: Any) -> None:
    body = pickle.dumps((kind, value), protocol=pickle.HIGHEST_PROTOCOL)
    stream.write(_LENGTH.pack(len(body)))
    stream.write(body)
    stream.flush()


def _told(error: RondineError) -> dict[str, Any]:
    return {
        "class": type(error).__name__,
        "message": error.message,
        "where": error.where,
        "hint": error.hint,
        "problems": error.problems,
    }


def _error_of(value: Mapping[str, Any]) -> RondineError:
    kind = getattr(errors, value["class"], RondineError)
    found: RondineError = kind(value["message"], where=value["where"], hint=value["hint"], problems=value["problems"])
    return found


def main() -> None:
    """The process: reads one definition and ends."""
    most_memory = int(sys.argv[1])
    resource.setrlimit(resource.RLIMIT_AS, (most_memory, most_memory))
    out = sys.stdout.buffer
    try:
        name, contents, address, part = pickle.load(sys.stdin.buffer)
        files = Files(name, contents, lambda *told: _write_frame(out, "progress", told))
        _write_frame(out, "done", read_definition(files, address, part))
    except RondineError as error:
        _write_frame(out, "error", _told(error))
    except MemoryError:
        _write_frame(out, "memory", None)


if __name__ == "__main__":
    main()
