"""The bare bodies of responses, and ranges of them: as the service sent them, or cut here where it sends them whole."""

from rondine.core.errors import InputError
from rondine.core.http.messages import Request
from rondine.core.http.ranges import ByteRange, byte_range, content_range
from rondine.engine.receiving import Received
from rondine.server.applications.replies import Question, Reply
from rondine.server.operations.answering import AnswerUnreadable

#: What a service says of a content that goes along with it.
_PASSED_ON = ("ETag", "Last-Modified", "Content-Disposition", "Content-Language")


class NoSuchRange(InputError):
    """Bytes are asked for that the content does not have (RFC 9110, section 15.5.17). size: of the content; None if
    nobody knows."""

    code, status = "range_not_there", 416

    def __init__(self, asked: str, size: int | None) -> None:
        words = f"the content has {size:,} bytes" if size is not None else "the content is shorter"
        super().__init__(
            f"{asked[:60]!a} is not within it: {words}",
            where="Range header",
            hint="ask for bytes that it has, or for all",
        )
        self.size = size

    @property
    def header(self) -> tuple[str, str]:
        return "Content-Range", f"bytes */{'*' if self.size is None else self.size}"


def asked_range(request: Request, question: Question) -> Request:
    """The request with the range that is asked for, as far as the service may know ranges: of GET alone (section
    14.2)."""
    if request.method != "GET" or byte_range(question.byte_range) is None or request.header("Range") is not None:
        return request
    request = request.with_header("Range", question.byte_range).with_header("Accept-Encoding", "identity")
    return request.with_header("If-Range", question.if_range) if question.if_range else request


def content_reply(received: Received, question: Question, run: str) -> Reply:
    """run: its address. Raises AnswerUnreadable for a part that is not the one asked for, and NoSuchRange."""
    headers = [("Rondine-Run", run)]
    headers += [(name, value) for name in _PASSED_ON if (value := received.header(name)) is not None]
    media_type = received.header("content-type") or "application/octet-stream"
    if received.status == 206:
        headers.append(("Content-Range", _part_of(received)))
        return Reply(206, received.body, media_type, headers, received.large)
    wanted = byte_range(question.byte_range)
    if wanted is None or not _is_same(received, question.if_range):
        return Reply(200, received.body, media_type, (*headers, ("Accept-Ranges", "bytes")), received.large)
    first, last = _within(wanted, received.size, question.byte_range)
    headers.append(("Content-Range", f"bytes {first}-{last}/{received.size}"))
    if received.large is not None:
        return Reply(206, b"", media_type, headers, received.large, (first, last + 1))
    return Reply(206, received.body[first : last + 1], media_type, headers)


def _within(wanted: ByteRange, size: int, asked: str) -> tuple[int, int]:
    found = wanted.within(size)
    if found is None:
        raise NoSuchRange(asked, size)
    return found


def is_of_another(received: Received, question: Question) -> bool:
    """Whether a service has sent a part although the content is not the one that is known already: some look at dates
    alone."""
    return received.status == 206 and not _is_same(received, question.if_range)


def check_range(received: Received, question: Question) -> None:
    """Raises NoSuchRange if the service says that it does not have it."""
    if question.byte_range and received.status == 416:
        size = (received.header("content-range") or "").rpartition("/")[2]
        raise NoSuchRange(question.byte_range, int(size) if size.isascii() and size.isdecimal() else None)


def _part_of(received: Received) -> str:
    """The Content-Range of a response that is a part."""
    where = f"status 206 of {received.request.method}"
    said = received.header("content-range") or ""
    if received.request.header("Range") is None:
        words = "the service sent a part only, and all was asked for"
        raise AnswerUnreadable(words, where=where, hint="ask the service's operator why it sends parts")
    found = content_range(said)
    if found is None or found[1] - found[0] + 1 != received.size:
        words = f"the service sent {received.size:,} bytes as a part, and says of it {said[:80]!a}"
        raise AnswerUnreadable(words, where=where, hint="ask for all")
    if (received.header("content-encoding") or "identity").lower() != "identity":
        words = "the service sent a part of a compressed content, which nobody can read alone"
        raise AnswerUnreadable(words, where=where, hint="ask for all")
    return said


def _is_same(received: Received, if_range: str) -> bool:
    """Whether a content is still the one that is known already (section 13.1.5)."""
    if not if_range:
        return True
    held = received.header("etag" if if_range.startswith('"') else "last-modified")
    return held == if_range
