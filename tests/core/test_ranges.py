"""Ranges of bytes, and files in requests."""

import hashlib
from dataclasses import dataclass

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import InputError
from rondine.core.http.files import FileBody, GivenFile, told_inputs
from rondine.core.http.messages import http_text
from rondine.core.http.ranges import byte_range, content_range
from rondine.core.operations.document import OperationDocument, file_inputs
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.rest import build_request
from rondine.core.settings import load


@dataclass
class Held:
    """A content in memory, given in pieces."""

    content: bytes

    @property
    def size(self):
        return len(self.content)

    def chunks(self):
        yield from (self.content[at : at + 7] for at in range(0, len(self.content), 7))


def file_of(content, name="OLM-1.pdf", media_type="application/pdf"):
    return GivenFile(name, media_type, hashlib.sha256(content).hexdigest(), Held(content))


@given(st.text(alphabet="bytes=0123456789-, ", max_size=30))
def test_a_range_is_read_or_passed_over(text):
    found = byte_range(text)
    if found is not None and (within := found.within(1000)) is not None:
        assert 0 <= within[0] <= within[1] < 1000


@given(st.integers(0, 200), st.integers(0, 200), st.integers(0, 150))
def test_a_range_is_what_python_cuts(first, last, size):
    content = bytes(range(150))[:size]
    found = byte_range(f"bytes={first}-{last}")
    if first > last:
        assert found is None
        return
    within = found.within(size)
    expected = content[first : last + 1]
    assert (content[within[0] : within[1] + 1] if within else b"") == expected
    suffix = byte_range(f"bytes=-{last}").within(size)
    assert (content[suffix[0] : suffix[1] + 1] if suffix else b"") == (content[-last:] if last else b"")


@pytest.mark.parametrize(
    ("header", "found"),
    [
        ("bytes 0-9/100", (0, 9, 100)),
        ("BYTES 5-5/*", (5, 5, None)),
        ("bytes 9-0/100", None),
        ("bytes 0-100/100", None),
        ("bytes */100", None),
        ("lines 0-9/100", None),
        ("", None),
    ],
)
def test_what_a_part_says_of_itself(header, found):
    assert content_range(header) == found


def operation(body, **more):
    inputs = [{"name": "number"}, {"name": "sheet"}]
    return load(
        OperationDocument,
        {"method": "POST", "path": "/sheets", "inputs": inputs, "body": body, **more},
    )


PART = {"name": "sheet", "value": {"input": "sheet"}, "file_name": "sheet", "encoding": "base64"}
TEXT = {"name": "number", "value": {"input": "number"}}


@given(st.binary(max_size=200), st.sampled_from(["", "OLM-1.pdf", 'a"b\r\n.pdf']), st.sampled_from(["", "image/png"]))
def test_a_form_with_a_file_is_read_back_by_another_parser(content, name, media_type):
    from python_multipart.multipart import MultipartParser, parse_options_header

    document = operation({"type": "multipart", "parts": [TEXT, PART]})
    values = checked_inputs(document.inputs, {"number": "7", "sheet": file_of(content, name, media_type)})
    request = build_request(document, "http://127.0.0.1/", values).request
    assert isinstance(request.body, FileBody)
    sent = b"".join(request.body.chunks())
    assert len(sent) == request.body.size
    found, headers = [], {}

    def header(data, start, end):
        headers.setdefault(len(found), bytearray()).extend(data[start:end])

    parts = {
        "on_part_begin": lambda: found.append(bytearray()),
        "on_header_value": header,
        "on_part_data": lambda data, start, end: found[-1].extend(data[start:end]),
    }
    _, options = parse_options_header(str(request.header("Content-Type")))
    parser = MultipartParser(options[b"boundary"], parts)
    parser.write(sent)
    parser.finalize()
    assert [bytes(one) for one in found] == [b"7", content]
    kind = media_type or "application/octet-stream"
    assert headers[2].endswith(kind.encode())
    assert b"%PDF" not in http_text(request).encode() and hashlib.sha256(content).hexdigest() in http_text(request)


def test_inputs_that_may_be_files_stand_nowhere_else():
    assert file_inputs(operation({"type": "multipart", "parts": [TEXT, PART]})) == {"sheet"}
    assert file_inputs(operation({"type": "bytes", "content": {"input": "sheet"}})) == {"sheet"}
    assert file_inputs(operation({"type": "bytes", "content": ["x", {"input": "sheet"}]})) == set()
    header = [{"name": "X-Sheet", "value": {"input": "sheet"}}]
    assert file_inputs(operation({"type": "bytes", "content": {"input": "sheet"}}, headers=header)) == set()
    assert file_inputs(operation({"type": "text", "content": {"input": "sheet"}})) == set()


def test_a_file_where_a_text_is_sent_is_refused():
    document = operation({"type": "json", "members": [{"at": "/sheet", "value": ["x ", {"input": "sheet"}]}]})
    with pytest.raises(InputError, match="stands where a text is sent"):
        build_request(document, "http://127.0.0.1/", {"sheet": file_of(b"x")})


def test_what_is_kept_of_inputs_is_not_their_content():
    file = file_of(b"%PDF")
    told = {"file": "OLM-1.pdf", "media_type": "application/pdf", "size": 4, "sha256": file.digest}
    assert told_inputs({"n": 1, "one": file, "two": [file, "x"]}) == {"n": 1, "one": told, "two": [told, "x"]}
