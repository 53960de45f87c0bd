"""A way to the service that can be broken, and a run that takes a while."""

import contextlib
import socket
import threading

import pytest


class Bridge:
    """A way to the service that can be broken, and stay broken for a while. lines: connections through it so far."""

    def __init__(self, port):
        self._target = port
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self._listening.getsockname()[1]}"
        self._open = []
        self.lines = 0
        self.is_down = False
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        while True:
            try:
                near, _ = self._listening.accept()
            except OSError:
                return
            if self.is_down:
                near.close()
                continue
            self.lines += 1
            far = socket.create_connection(("127.0.0.1", self._target))
            self._open += [near, far]
            for one, other in ((near, far), (far, near)):
                threading.Thread(target=self._pass_on, args=(one, other), daemon=True).start()

    @staticmethod
    def _pass_on(one, other):
        try:
            while piece := one.recv(65536):
                other.sendall(piece)
        except OSError:
            pass
        finally:
            for end in (one, other):
                end.close()

    def break_off(self):
        """Ends every connection that is open."""
        for end in self._open:
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
        self._open.clear()

    def close(self):
        self.break_off()
        self._listening.close()


@pytest.fixture
def bridge(rondine):
    made = Bridge(rondine.port)
    yield made
    made.close()


@pytest.fixture
def slow_run(rondine, serve):
    """Starts a feed whose one call takes two seconds; gives the number of its run."""
    from aiohttp import web

    async def answer(request):
        import asyncio

        await asyncio.sleep(2)
        return web.json_response({"trees": [{"number": "OLM-1"}]})

    outside = serve(answer)
    rondine.permit(outside.port)
    office = rondine.office()

    def start(name):
        service = rondine.connect(name, outside.url)
        document = {"path": "/trees", "paging": {"type": "one_response"}}
        office.operations.make(name, service=service, document=document)
        fields = [{"name": "number", "type": "text"}]
        office.record_types.make(name, document={"fields": fields, "key": ["number"]})
        rules = [{"name": "number", "from": "number"}]
        output = {"record_type": name, "rows": [{"level": "tree", "at": "trees[*]"}], "fields": rules}
        office.mappings.make(name, service=service, document={"outputs": [output]})
        office.feeds.make(name, operation=name, mapping=name, environment="test")
        return office.feeds.run(name)["id"]

    return start
