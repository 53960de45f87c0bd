"""The permit counter: SOAP 1.1 and 1.2 at one address.

GET  /services/counter?wsdl    its WSDL, with this host's address; GET /services/permits.xsd
POST /secure/counter           the same, with a user name token in the SOAP header
POST /services/counter         FindPermit, ListPermits, AskPermit (document), CountPermits (rpc);
                               a fault for whatever is wrong
"""

import base64
import hashlib
from pathlib import Path
from typing import Any

from aiohttp import web
from lxml import etree

DOCUMENTS = Path(__file__).parent / "documents"
P = "urn:olmara:permits"
ENVELOPES = {"http://schemas.xmlsoap.org/soap/envelope/": "1.1", "http://www.w3.org/2003/05/soap-envelope": "1.2"}
STATUSES = ("asked", "granted", "refused")


class PermitCounter:
    """user, password: of the user name token that /secure/counter asks for."""

    def __init__(self, user: str = "", password: str = "") -> None:
        self.user, self.password = user, password
        self.permits: list[dict[str, Any]] = [
            {
                "number": f"P-{n}", "tree": f"OLM-{n:05d}", "reason": "felling" if n % 2 else 'crown & "roots"',
                "status": STATUSES[n % 3],
                "from": f"2026-11-{n:02d}", "until": None if n % 4 else f"2026-12-{n:02d}",
                "conditions": ["by hand"] * (n % 3),
            }
            for n in range(1, 13)
        ]  # fmt: skip

    def application(self) -> web.Application:
        app = web.Application()
        app.add_routes(
            [
                web.get("/services/counter", self.wsdl),
                web.get("/services/permits.xsd", self.xsd),
                web.post("/services/counter", self.answer),
                web.post("/secure/counter", self.answer),
            ]
        )
        return app

    async def wsdl(self, request: web.Request) -> web.Response:
        text = (DOCUMENTS / "permits.wsdl").read_text().replace("http://permits.example", f"http://{request.host}")
        return web.Response(text=text, content_type="text/xml")

    async def xsd(self, request: web.Request) -> web.Response:
        return web.Response(text=(DOCUMENTS / "permits.xsd").read_text(), content_type="text/xml")

    async def answer(self, request: web.Request) -> web.Response:
        parser = etree.XMLParser(resolve_entities=False, no_network=True)
        try:
            root = etree.fromstring(await request.read(), parser)
            namespace = etree.QName(root).namespace or ""
            version = ENVELOPES[namespace]
            body = root.find(f"{{{namespace}}}Body")
            called = body[0]  # type: ignore[index]
        except (etree.XMLSyntaxError, KeyError, IndexError, TypeError):
            return fault("1.1", "Client", "this is not a SOAP envelope")
        wanted = "text/xml" if version == "1.1" else "application/soap+xml"
        if request.content_type != wanted:
            return fault(version, "Client", f"SOAP {version} comes as {wanted}, not as {request.content_type}")
        if version == "1.1" and "SOAPAction" not in request.headers:
            return fault(version, "Client", "SOAPAction is missing")
        if request.path.startswith("/secure") and not self._is_known(root):
            return fault(version, "FailedAuthentication", "the user name token is missing, or wrong")
        name = etree.QName(called)
        action = getattr(self, f"do_{name.localname}", None)
        if action is None or name.namespace != P:
            return fault(version, "Client", f"there is no operation {name.text}")
        return action(version, called)

    def _is_known(self, root: Any) -> bool:
        """OASIS UsernameToken Profile: the digest of nonce, time and password, or the password itself."""
        read = {etree.QName(one).localname: one for one in root.iter() if isinstance(one.tag, str)}
        if "Password" not in read or read.get("Username") is None or read["Username"].text != self.user:
            return False
        given = read["Password"].text or ""
        if read["Password"].get("Type", "").endswith("#PasswordText"):
            return bool(given == self.password)
        nonce = base64.b64decode(read["Nonce"].text or "")
        expected = hashlib.sha1(
            nonce + (read["Created"].text or "").encode() + self.password.encode(), usedforsecurity=False
        )
        return bool(given == base64.b64encode(expected.digest()).decode())

    def do_FindPermit(self, version: str, called: Any) -> web.Response:
        number = called.findtext(f"{{{P}}}number")
        found = next((one for one in self.permits if one["number"] == number), None)
        if found is None:
            return fault(
                version,
                "Client",
                f"there is no permit {number}",
                f"<p:NotFound xmlns:p='{P}'><p:number>{escaped(number)}</p:number></p:NotFound>",
            )
        return reply(version, "FindPermitResponse", permit(found))

    def do_ListPermits(self, version: str, called: Any) -> web.Response:
        status = called.findtext(f"{{{P}}}status")
        return reply(
            version,
            "ListPermitsResponse",
            "".join(permit(one) for one in self.permits if status in (None, one["status"])),
        )

    def do_AskPermit(self, version: str, called: Any) -> web.Response:
        values = {name: called.findtext(f"{{{P}}}{name}") for name in ("tree", "reason")}
        begin = called.findtext(f"{{{P}}}span/{{{P}}}from")
        if not all(values.values()) or not begin:
            return fault(version, "Client", "tree, reason and span are needed")
        conditions = [one.text for one in called.findall(f"{{{P}}}condition")]
        number = f"P-{len(self.permits) + 1}{'-urgent' if called.get('urgent') == 'true' else ''}"
        until = called.findtext(f"{{{P}}}span/{{{P}}}until")
        self.permits.append(
            {"number": number, **values, "status": "asked", "from": begin, "until": until, "conditions": conditions}
        )
        return reply(version, "AskPermitResponse", f"<p:number>{number}</p:number>")

    def do_CountPermits(self, version: str, called: Any) -> web.Response:
        status = called.findtext("status")
        return reply(
            version, "CountPermitsResponse", f"<count>{sum(one['status'] == status for one in self.permits)}</count>"
        )


def permit(one: dict[str, Any]) -> str:
    until = f"<p:until>{one['until']}</p:until>" if one["until"] else ""
    conditions = "".join(f"<p:condition>{escaped(each)}</p:condition>" for each in one["conditions"])
    return (
        f"<p:permit><p:number>{one['number']}</p:number><p:tree>{escaped(one['tree'])}</p:tree>"
        f"<p:reason>{escaped(one['reason'])}</p:reason>"
        f"<p:status>{one['status']}</p:status><p:span><p:from>{one['from']}</p:from>"
        f"{until}</p:span>{conditions}</p:permit>"
    )


def escaped(text: str | None) -> str:
    return (text or "").replace("&", "&amp;").replace("<", "&lt;")


def reply(version: str, name: str, inner: str, *, status: int = 200) -> web.Response:
    namespace = next(uri for uri, known in ENVELOPES.items() if known == version)
    text = (
        f'<?xml version="1.0"?><s:Envelope xmlns:s="{namespace}">'
        f'<s:Body><p:{name} xmlns:p="{P}">{inner}</p:{name}></s:Body></s:Envelope>'
    )
    media = "text/xml" if version == "1.1" else "application/soap+xml"
    return web.Response(text=text, status=status, content_type=media)


def fault(version: str, code: str, reason: str, detail: str = "") -> web.Response:
    namespace = next(uri for uri, known in ENVELOPES.items() if known == version)
    if version == "1.1":
        inner = f"<faultcode>s:{code}</faultcode><faultstring>{escaped(reason)}</faultstring><detail>{detail}</detail>"
    else:
        code = {"Client": "Sender"}.get(code, code)
        inner = (
            f"<s:Code><s:Value>s:{code}</s:Value></s:Code>"
            f"<s:Reason><s:Text xml:lang='en'>{escaped(reason)}</s:Text></s:Reason><s:Detail>{detail}</s:Detail>"
        )
    text = (
        f'<?xml version="1.0"?><s:Envelope xmlns:s="{namespace}">'
        f"<s:Body><s:Fault>{inner}</s:Fault></s:Body></s:Envelope>"
    )
    return web.Response(text=text, status=500, content_type="text/xml" if version == "1.1" else "application/soap+xml")
