"""Files: a survey sheet goes up as a part of a form, and comes back byte for byte, within limits."""

import base64
import hashlib
import os

import httpx
import pytest
from aiohttp import web
from tests.desk import Desk

SHEET = b"%PDF-1.7\n%\xe2\xe3\xcf\xd3\n" + os.urandom(300_000) + b"\n%%EOF\n"


class Archive(Desk):
    """Keeps the files that come as parts of forms. parts: of the last form, as they came."""

    def __init__(self, rondine, serve, name):
        self.kept, self.parts = {}, []
        super().__init__(rondine, serve, name)
        up = {
            "method": "POST",
            "path": "/sheets/{number}",
            "inputs": [{"name": "number", "required": True}, {"name": "title"}, {"name": "sheet", "required": True}],
            "body": {
                "type": "multipart",
                "parts": [
                    {"name": "title", "value": {"input": "title"}},
                    {
                        "name": "sheet",
                        "value": {"input": "sheet"},
                        "file_name": "sheet.pdf",
                        "media_type": "application/pdf",
                        "encoding": "base64",
                    },
                ],
            },
        }
        down = {"path": "/sheets/{number}", "inputs": [{"name": "number", "required": True}]}
        self.project.operations.make("keep-sheet", service="desk-register", document=up)
        self.project.operations.make("get-sheet", service="desk-register", document=down)

    async def answer(self, request):
        number = request.path.rpartition("/")[2]
        if request.method == "POST":
            self.parts = []
            async for part in await request.multipart():
                self.parts.append((part.name, part.filename, part.headers.get("Content-Type"), await part.read()))
            self.kept[number] = self.parts[-1][3]
            return web.json_response({"size": len(self.kept[number])}, status=201)
        if number not in self.kept:
            return web.json_response({"message": f"there is no sheet {number}"}, status=404)
        return web.Response(body=self.kept[number], content_type="application/pdf")


@pytest.fixture
def archive(rondine, serve, request):
    return Archive(rondine, serve, request.node.name.removeprefix("test_").replace("_", "-")[:30].strip("-"))


def test_a_sheet_goes_up_and_comes_back(archive):
    inputs = {"number": "OLM-1", "title": 'the "old" lime', "sheet": base64.b64encode(SHEET).decode()}
    reply = archive.use.call("keep-sheet", inputs)
    assert reply["body"]["size"] == len(SHEET)
    [title, sheet] = archive.parts
    assert title[:2] == ("title", None) and title[3].decode() == 'the "old" lime'
    assert sheet[:3] == ("sheet", "sheet.pdf", "application/pdf")
    found = archive.use.content("get-sheet", {"number": "OLM-1"})
    assert hashlib.sha256(found).hexdigest() == hashlib.sha256(SHEET).hexdigest()
    bare = archive.sent("POST", "/operations/get-sheet/content", json={"inputs": {"number": "OLM-1"}})
    assert bare.content == SHEET and bare.headers["content-type"] == "application/pdf"
    told = archive.use.call("get-sheet", {"number": "OLM-1"})
    assert told["body"] is None and base64.b64decode(told["content"]) == SHEET


def test_what_is_too_large_is_refused_in_words(archive, rondine):
    held = archive.project.connections.get("desk-register-test")
    document = {**held["document"], "most_bytes": 100_000}
    archive.project.connections.change("desk-register-test", version=held["version"], document=document)
    archive.use.call("keep-sheet", {"number": "OLM-2", "sheet": base64.b64encode(SHEET).decode()})
    found = archive.sent("POST", "/operations/get-sheet/content", json={"inputs": {"number": "OLM-2"}})
    assert found.json()["code"] == "response_too_large" and "100" in found.json()["detail"]
    wrong = archive.sent(
        "POST",
        "/operations/keep-sheet",
        headers={"Idempotency-Key": "sheet-of-olm-3"},
        json={"inputs": {"number": "OLM-3", "sheet": "no base64!"}},
    )
    assert wrong.status_code == 400 and "base64" in wrong.json()["detail"] and "OLM-3" not in archive.kept
    huge = httpx.post(
        f"{rondine.url}/api/v1/use/{archive.name}/test/operations/keep-sheet",
        headers={"Authorization": f"Bearer {archive.token}"},
        content=b" " * (17 * 1024 * 1024),
        timeout=60,
    )
    assert huge.status_code == 413 and "16 MiB" in huge.json()["detail"]
