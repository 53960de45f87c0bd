"""Files of applications: sheets go up and come back byte for byte, whole or in ranges."""

import base64
import hashlib
import io
import socket

import httpx
import pytest
from tests.archive import LARGE, SHEET, Archive

from rondine_client import RondineProblem


@pytest.fixture(scope="module")
def archive(rondine, serve_for_module, tmp_path_factory):
    folder = tmp_path_factory.mktemp("sheets")
    (folder / "OLM-1.pdf").write_bytes(SHEET)
    (folder / "OLM-2.pdf").write_bytes(LARGE)
    return Archive(rondine, serve_for_module, "sheets", folder)


@pytest.fixture(autouse=True)
def _forgotten(archive):
    archive.got.clear()
    archive.ranges.clear()


def content(archive, operation, number="OLM-1.pdf", **headers):
    return archive.sent("GET", f"/operations/{operation}/content", params={"number": number}, headers=headers)


def wrong(call, *args, **options):
    with pytest.raises(RondineProblem) as caught:
        call(*args, **options)
    return caught.value


def test_a_sheet_goes_up_in_a_form_and_comes_back_byte_for_byte(archive):
    file = ("Prüfblatt OLM-7.pdf", io.BytesIO(SHEET), "application/pdf")
    reply = archive.use.call("send-sheet", {"number": "OLM-7"}, files={"sheet": file})
    assert reply["status"] == 201 and reply["body"] == {"number": "OLM-7", "sheets": 1}
    assert archive.got == [("OLM-7", "Prüfblatt OLM-7.pdf", "application/pdf", SHEET)]
    number = int(reply["run"].rpartition("/")[2])
    run = archive.project.runs.get(number)
    digest = hashlib.sha256(SHEET).hexdigest()
    told = {"file": "Prüfblatt OLM-7.pdf", "media_type": "application/pdf", "size": len(SHEET), "sha256": digest}
    assert run["inputs"] == {"number": "OLM-7", "sheet": told}
    [call] = archive.project.runs.calls(number)
    request = call["request"]
    assert digest in request and "%%EOF" not in request and f"Content-Length: {len(SHEET)}" not in request

    assert archive.use.content("get-sheets", {"number": "OLM-1.pdf"}) == SHEET
    back = content(archive, "get-sheets")
    assert (back.status_code, back.content, back.headers["content-type"]) == (200, SHEET, "application/pdf")
    assert back.headers["content-disposition"] == 'inline; filename="OLM-1.pdf"'


def test_a_sheet_is_a_whole_body_too_and_as_base64_the_same(archive):
    archive.use.call("put-sheet", {"number": "OLM-8"}, files={"sheet": ("a.pdf", SHEET, "application/pdf")})
    archive.use.call("put-sheet", {"number": "OLM-8", "sheet": base64.b64encode(SHEET).decode()})
    assert archive.got == [
        ("OLM-8", "", "application/pdf", SHEET),
        ("OLM-8", "", "application/octet-stream", SHEET),
    ]


def test_a_large_sheet_goes_through_in_pieces(archive):
    pieces = list(archive.use.download("get-plain", {"number": "OLM-2.pdf"}))
    assert b"".join(pieces) == LARGE and len(pieces) > 10
    assert archive.use.content("get-sheets", {"number": "OLM-2.pdf"}) == LARGE
    archive.use.call("send-sheet", {"number": "OLM-2"}, files={"sheet": ("l", io.BytesIO(LARGE), "image/tiff")})
    assert archive.got[0][3] == LARGE


@pytest.mark.parametrize("number", ["OLM-1.pdf", "OLM-2.pdf"])
@pytest.mark.parametrize("operation", ["get-sheets", "get-plain"])
def test_ranges_are_the_services_own_or_cut_here(archive, operation, number):
    whole = SHEET if number == "OLM-1.pdf" else LARGE
    size = len(whole)
    for asked, first, last in (
        ("bytes=0-0", 0, 0),
        ("bytes=100-4099", 100, 4099),
        (f"bytes={size - 5}-", size - 5, size - 1),
        ("bytes=-7", size - 7, size - 1),
        (f"bytes=10-{size + 100}", 10, size - 1),
    ):
        found = content(archive, operation, number, Range=asked)
        assert found.status_code == 206, found.text
        assert found.headers["content-range"] == f"bytes {first}-{last}/{size}"
        assert found.content == whole[first : last + 1]
    none = content(archive, operation, number, Range=f"bytes={size}-")
    assert none.status_code == 416 and none.headers["content-range"] == f"bytes */{size}"
    assert none.json()["code"] == "range_not_there"
    assert archive.ranges[0] == "bytes=0-0"  # the service may do it itself
    for passed_over in ("bytes=0-1,5-6", "lines=1-2", "bytes=9-3", "bytes=-"):
        assert content(archive, operation, number, Range=passed_over).content == whole
    assert b"".join(archive.use.download(f"{operation}", {"number": number}, first=4, last=9)) == whole[4:10]


def test_a_range_of_what_has_changed_meanwhile_is_all_of_it(archive):
    for operation in ("get-sheets", "get-plain"):
        tag = content(archive, operation).headers["etag"]
        same = content(archive, operation, Range="bytes=0-9", **{"If-Range": tag})
        assert (same.status_code, same.content) == (206, SHEET[:10])
        other = content(archive, operation, Range="bytes=0-9", **{"If-Range": '"other"'})
        assert (other.status_code, other.content) == (200, SHEET)


def test_a_part_never_passes_for_the_whole(archive):
    unasked = content(archive, "get-part")
    assert unasked.status_code == 502 and "a part only" in unasked.json()["detail"]
    other = content(archive, "get-part", Range="bytes=0-99")  # it says ten bytes, and sends them
    assert other.status_code == 206 and other.headers["content-range"].startswith("bytes 0-9/")
    for number in ("OLM-1.pdf", "OLM-2.pdf"):
        broken = content(archive, "get-broken", number)
        assert broken.status_code == 502 and "broke off" in broken.json()["detail"]
        assert wrong(lambda number=number: list(archive.use.download("get-broken", {"number": number}))).status == 502


def test_a_form_is_made_once_for_each_key(archive):
    file = ("a.pdf", SHEET, "application/pdf")
    send = archive.use.call
    first = send("send-sheet", {"number": "OLM-9"}, files={"sheet": file}, key="sheet-of-olm-9")
    again = send("send-sheet", {"number": "OLM-9"}, files={"sheet": file}, key="sheet-of-olm-9")
    assert first == again and len(archive.got) == 1
    other = ("a.pdf", SHEET + b"\n", "application/pdf")
    assert wrong(send, "send-sheet", {"number": "OLM-9"}, files={"sheet": other}, key="sheet-of-olm-9").status == 422


def test_what_cannot_be_is_told_and_nothing_is_sent(archive):
    send, file = archive.use.call, ("a.pdf", SHEET, "application/pdf")
    problem = wrong(send, "send-sheet", {}, files={"number": file, "sheet": file})
    assert problem.where == "/number" and "takes no file" in problem.message and "sheet" in problem.hint
    assert wrong(send, "send-sheet", {"number": "1"}, files={"shet": file}).where == "/shet"
    assert wrong(send, "no-such", {}, files={"sheet": file}).status == 404
    assert wrong(send, "get-sheets", {}, files={"number": file}).where == "/number"
    path = "/operations/send-sheet"
    form = {"files": {"sheet": ("a.pdf", SHEET)}, "data": {"number": "1"}}
    assert archive.sent("POST", path, **form).json()["code"] == "key_needed"
    keyed = {"Idempotency-Key": "key-of-this-one"}
    waits = archive.sent("POST", path, headers={**keyed, "Prefer": "respond-async"}, **form)
    assert waits.status_code == 400 and waits.json()["where"] == "Prefer header"
    for body, media_type, words in (
        (b'--x\r\nContent-Disposition: form-data; name="number"\r\n\r\n1\r\n', 'boundary="x"', "breaks off"),
        (b"nothing of a form", "boundary=x", "no multipart/form-data"),
        (b"--x\r\n\r\n1\r\n--x--\r\n", "boundary=x", "has no name"),
        (b"", "charset=utf-8", "without a boundary"),
    ):
        headers = {**keyed, "Content-Type": f"multipart/form-data; {media_type}"}
        found = archive.sent("POST", path, headers=headers, content=body)
        assert found.status_code == 400 and words in found.json()["detail"], found.text
    assert archive.sent("GET", "/operations/send-sheet/content").status_code == 405
    assert content(archive, "get-sheets", "OLM-1.pdf").status_code == 200
    missing = archive.sent("GET", "/operations/get-sheets/content")
    assert missing.status_code == 400 and missing.json()["where"] == "/number"
    archive.set(most_upload_bytes=50_000)
    try:
        large = archive.sent("POST", path, headers=keyed, **form)
        assert large.status_code == 413 and "most_upload_bytes" in large.json()["hint"]
    finally:
        archive.set(most_upload_bytes=64 * 1024 * 1024)
    assert archive.got == []


def test_an_odd_address_has_a_problem_document_too(archive):
    odd = archive.sent("POST", "/operations/a%0Ab/content", files={"sheet": ("a", b"x")})
    assert odd.status_code == 404 and odd.json()["may_pass"] is False


def test_a_request_that_breaks_off_sends_nothing(archive):
    head = (
        f"POST /api/v1/use/{archive.name}/test/operations/send-sheet HTTP/1.1\r\nHost: x\r\n"
        f"Authorization: Bearer {archive.token}\r\nIdempotency-Key: broken-off-one\r\n"
        "Content-Type: multipart/form-data; boundary=x\r\nContent-Length: 100000\r\n\r\n--x\r\n"
        'Content-Disposition: form-data; name="sheet"; filename="a"\r\n\r\nabc'
    )
    url = httpx.URL(archive.rondine.url)
    with socket.create_connection((url.host, url.port)) as connection:
        connection.sendall(head.encode())
    assert archive.use.content("get-sheets", {"number": "OLM-1.pdf"}) == SHEET
    assert archive.got == []


def test_the_commands_send_a_file_and_write_one(archive, rondine, tmp_path, monkeypatch):
    monkeypatch.setitem(rondine.env, "RONDINE_APPLICATION_TOKEN", archive.token)
    sheet = tmp_path / "OLM-3.pdf"
    sheet.write_bytes(SHEET)

    def say(*words):
        return rondine.cli("--project", archive.name, "use", "call", *words, check=False)

    sent = say("send-sheet", "number=OLM-3", "--file", f"sheet={sheet}")
    assert sent.returncode == 0 and archive.got == [("OLM-3", "OLM-3.pdf", "application/pdf", SHEET)]
    back = tmp_path / "back.pdf"
    written = say("get-plain", "number=OLM-2.pdf", "--content", str(back))
    assert written.returncode == 0 and back.read_bytes() == LARGE and f"{len(LARGE):,} bytes" in written.stderr
    broken = say("get-broken", "number=OLM-2.pdf", "--content", str(tmp_path / "none.pdf"))
    assert broken.returncode == 1 and sorted(one.name for one in tmp_path.iterdir()) == ["OLM-3.pdf", "back.pdf"]


def test_the_offer_says_what_may_be_a_file(archive):
    offered = {one["name"]: one for one in archive.use.offer()["operations"]}
    assert (offered["send-sheet"]["files"], offered["put-sheet"]["files"]) == (["sheet"], ["sheet"])
    assert offered["get-sheets"]["files"] == []
    examples = offered["send-sheet"]["examples"]
    assert "-F sheet=@FILE" in examples["http"] and "Content-Type" not in examples["http"]
    assert 'files={"sheet": ("FILE", open("FILE", "rb")' in examples["python"]
    assert 'form.append("sheet", file);' in examples["typescript"]
    paths = archive.use.openapi()["paths"]
    form = paths["/operations/send-sheet"]["post"]["requestBody"]["content"]["multipart/form-data"]["schema"]
    assert form["properties"]["sheet"] == {"type": "string", "contentMediaType": "application/octet-stream"}
    assert {"get", "post"} == set(paths["/operations/get-sheets/content"])
    assert {"post"} == set(paths["/operations/send-sheet/content"])
