"""What tests of whole runs share."""

import asyncio

import pytest
from aiohttp import web


@pytest.fixture
def trees(rondine, serve):
    """A service whose answer a test sets; `pages` by the number asked for."""

    class Trees:
        pages = None
        headers = None
        status = 200
        seconds = 0

    async def answer(request):
        if request.path != "/short":
            await asyncio.sleep(Trees.seconds)
        number = int(request.query.get("page", 1))
        made = Trees.pages[min(number, len(Trees.pages)) - 1]
        return web.json_response(made, status=Trees.status, headers=Trees.headers)

    outside = serve(answer)
    rondine.permit(outside.port)
    Trees.outside = outside
    return Trees
