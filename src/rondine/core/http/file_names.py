"""The file name that a response proposes (Content-Disposition: RFC 6266; extended values: RFC 8187), fit to be saved
under."""

import re
from email.message import Message
from email.utils import collapse_rfc2231_value
from urllib.parse import unquote

#: Characters of a name that is kept; file systems take 255 bytes.
LONGEST = 120


def proposed_file_name(content_disposition: str) -> str:
    """The last step of the name it proposes, without what file systems do not take; empty if there is none. `filename*`
    comes before `filename`."""
    message = Message()
    message["Content-Disposition"] = re.sub(r"[\r\n\0]", " ", content_disposition)
    found = [value for name, value in message.get_params([], "content-disposition") if name.lower() == "filename"]
    extended = next((value for value in found if isinstance(value, tuple)), None)
    if extended is not None:
        name = collapse_rfc2231_value((extended[0] or "utf-8", extended[1] or "", extended[2]))
    else:
        name = unquote(found[0]) if found else ""
    name = re.split(r"[/\\]", name)[-1]
    name = re.sub(r'[\x00-\x1f\x7f<>:"|?*]', "_", name).strip(" .")
    return name[:LONGEST]
