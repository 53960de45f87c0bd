"""What applications did is written down in batches, of which one entry that cannot be stored takes no other along."""

import asyncio
import uuid
from concurrent.futures import ThreadPoolExecutor

from django.db import connections
from django.utils import timezone

from rondine.core.flow.document import FlowDocument
from rondine.core.flow.history import Begun
from rondine.core.flow.tasks import End
from rondine.server.access.models import Project
from rondine.server.applications.models import Application, UsageHour
from rondine.server.applications.traces import Traces
from rondine.server.connecting.models import Environment
from rondine.server.flows.at_once import HeldRun
from rondine.server.flows.models import FlowEvent
from rondine.server.runs.models import Run


def test_one_entry_that_cannot_be_stored_loses_no_other(transactional_db):
    project = Project.objects.create(name="counted")
    environment = Environment.objects.create(project=project, name="test")
    known = Application.objects.create(project=project, name="desk", environment=environment)

    def ended(number, application):
        run = Run(pk=number, project=project, environment=environment, kind="flow", application_id=application)
        held = HeldRun.of(run, Begun(at=timezone.now(), inputs={}), FlowDocument())
        held.settle(End(reply={}))
        return held

    async def use():
        traces = Traces(pool)
        for number, application in enumerate((known.pk, uuid.uuid4(), known.pk), 1):
            await traces.add_flow(ended(number, application))
        for application in (known.pk, uuid.uuid4(), known.pk):
            traces.count(application, "operation trees", failed=False, milliseconds=2.5, service=1.5)
        await traces.flush()

    with ThreadPoolExecutor(1) as pool:
        asyncio.run(use())
        pool.submit(connections.close_all).result()
    assert list(Run.objects.order_by("pk").values_list("pk", "state")) == [(1, "done"), (3, "done")]
    assert FlowEvent.objects.filter(run__in=(1, 3)).count() == FlowEvent.objects.count() == 2
    [hour] = UsageHour.objects.all()
    assert (hour.application_id, hour.calls, hour.busy_ms, hour.service_ms) == (known.pk, 2, 5.0, 3.0)
