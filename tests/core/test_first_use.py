"""Documents read for the first time by many threads at once, as by a service that was just started."""

import subprocess
import sys

SCRIPT = """
import sys, threading
sys.setswitchinterval(1e-6)
from rondine.core.flow.document import FlowDocument
from rondine.core.mapping.document import MappingDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.settings import load

documents = (
    (OperationDocument, {"path": "/trees/{number}", "inputs": [{"name": "number", "convert": [{"type": "trim"}]}]}),
    (MappingDocument, {"outputs": []}),
    (FlowDocument, {"steps": []}),
)
together = threading.Barrier(12)

def read():
    together.wait()
    for kind, document in documents:
        load(kind, document)

threads = [threading.Thread(target=read) for _ in range(12)]
for thread in threads:
    thread.start()
for thread in threads:
    thread.join()
print("all are read")
"""


def test_documents_are_read_by_many_threads_from_the_first_moment_on():
    found = subprocess.run([sys.executable, "-c", SCRIPT], capture_output=True, text=True, check=False)
    assert (found.returncode, found.stdout) == (0, "all are read\n"), found.stderr
