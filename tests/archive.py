"""A service that keeps sheets, and an application that sends and fetches them."""

import os

from aiohttp import web

from tests.desk import Desk

SHEET = b"%PDF-1.7\n" + os.urandom(70_000) + b"\r\n--rondine\r\n%%EOF"
LARGE = os.urandom(1024) * 20_480  # 20 MiB
FORM = {
    "type": "multipart",
    "parts": [
        {"name": "number", "value": {"input": "number"}},
        {
            "name": "sheet",
            "value": {"input": "sheet"},
            "file_name": "sheet",
            "media_type": "application/octet-stream",
            "encoding": "base64",
        },
    ],
}


class Archive(Desk):
    """A service that keeps sheets: it gives them with ranges, without, in unasked parts, or breaks off."""

    def __init__(self, rondine, serve, name, folder):
        self.folder, self.got, self.ranges = folder, [], []
        super().__init__(rondine, serve, name)
        number = {"name": "number", "required": True}
        for way in ("sheets", "plain", "part", "broken"):
            document = {"path": f"/{way}/{{number}}", "inputs": [number]}
            self.project.operations.make(f"get-{way}", service="desk-register", document=document)
        sheet = {"name": "sheet", "required": True}
        form = {"method": "POST", "path": "/sheets", "inputs": [number, sheet], "body": FORM, "takes_key": True}
        self.project.operations.make("send-sheet", service="desk-register", document=form)
        body = {"type": "bytes", "content": {"input": "sheet"}}
        put = {"method": "PUT", "path": "/sheets/{number}", "inputs": [number, sheet], "body": body}
        self.project.operations.make("put-sheet", service="desk-register", document=put)

    async def answer(self, request):
        way, _, number = request.path.strip("/").partition("/")
        if request.method == "POST" and way == "sheets":
            form = await request.post()
            file = form["sheet"]
            self.got.append((form["number"], file.filename, file.content_type, file.file.read()))
            return web.json_response({"number": form["number"], "sheets": len(self.got)}, status=201)
        if request.method == "PUT" and way == "sheets":
            self.got.append((number, "", request.content_type, await request.read()))
            return web.json_response({"number": number})
        self.ranges.append(request.headers.get("Range"))
        content = (self.folder / number).read_bytes() if (self.folder / number).exists() else b""
        if way == "sheets":
            return web.FileResponse(
                self.folder / number, headers={"Content-Disposition": f'inline; filename="{number}"'}
            )
        if way == "plain":
            return web.Response(body=content, content_type="application/pdf", headers={"ETag": '"one"'})
        if way == "part":
            headers = {"Content-Range": f"bytes 0-9/{len(content)}"}
            return web.Response(status=206, body=content[:10], headers=headers)
        if way == "broken":
            response = web.StreamResponse(headers={"Content-Length": str(len(content))})
            await response.prepare(request)
            await response.write(content[: len(content) // 2])
            request.transport.close()
            return response
        return await super().answer(request)
