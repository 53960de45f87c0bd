"""The planting diary as a SOAP service by Spyne, a server library that none of us wrote; in a process of its own, as it
changes how Python imports. GET /?wsdl, POST /, and GET /rows, which tells what was planted as JSON.

    python -m tests.soap_plantings PORT
"""

import json
import sys
from datetime import datetime
from wsgiref.simple_server import make_server

from spyne import Application, ComplexModel, Date, Decimal, Fault, Integer, Iterable, ServiceBase, Unicode, rpc
from spyne.protocol.soap import Soap11
from spyne.server.wsgi import WsgiApplication

from tests.plantings import first_rows

NAMES = ("number", "species", "height", "planted", "street")


class SoapPlanting(ComplexModel):
    __namespace__ = "urn:olmara:plantings"
    __type_name__ = "Planting"
    number = Integer(min_occurs=1)
    species = Unicode(min_occurs=1)
    height = Decimal(min_occurs=0)
    planted = Date(min_occurs=0)
    street = Unicode(min_occurs=0)


def served():
    """Its rows, and the WSGI application."""
    rows = {
        number: SoapPlanting(
            number=number,
            species=row["species"],
            height=row["height"],
            planted=datetime.fromisoformat(row["planted"]).date(),
            street=row["site"]["street"],
        )
        for number, row in first_rows().items()
    }

    class Plantings(ServiceBase):
        @rpc(Unicode(min_occurs=0), _returns=Iterable(SoapPlanting))
        def ListPlantings(ctx, species):
            return [row for row in rows.values() if species in (None, row.species)]

        @rpc(Integer(min_occurs=1), _returns=SoapPlanting)
        def GetPlanting(ctx, number):
            if number not in rows:
                raise Fault("Client.NotFound", f"there is no planting {number}")
            return rows[number]

        @rpc(SoapPlanting.customize(min_occurs=1), _returns=SoapPlanting)
        def CreatePlanting(ctx, planting):
            rows[planting.number] = planting
            return planting

        @rpc(SoapPlanting.customize(min_occurs=1), _returns=SoapPlanting)
        def UpdatePlanting(ctx, planting):
            if planting.number not in rows:
                raise Fault("Client.NotFound", f"there is no planting {planting.number}")
            for name in ("species", "height", "planted", "street"):
                if getattr(planting, name) is not None:
                    setattr(rows[planting.number], name, getattr(planting, name))
            return rows[planting.number]

        @rpc(Integer(min_occurs=1), _returns=Unicode)
        def DeletePlanting(ctx, number):
            rows.pop(number, None)
            return "removed"

    application = Application(
        [Plantings],
        "urn:olmara:plantings",
        name="Plantings",
        in_protocol=Soap11(validator="lxml"),
        out_protocol=Soap11(),
    )
    soap = WsgiApplication(application)

    def answer(environ, start):
        if environ["PATH_INFO"] != "/rows":
            return soap(environ, start)
        start("200 OK", [("Content-Type", "application/json")])
        held = {number: {name: getattr(row, name) for name in NAMES} for number, row in rows.items()}
        return [json.dumps(held, default=str).encode()]

    return answer


if __name__ == "__main__":
    server = make_server("127.0.0.1", int(sys.argv[1]), served())
    server.serve_forever()
