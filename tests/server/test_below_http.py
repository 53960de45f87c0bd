"""What views share, without a server: pages, what a request may say, errors as problems, long work told line by line."""

import asyncio
import json
import threading
from types import SimpleNamespace

import pytest
from django.core.exceptions import RequestDataTooBig
from django.db import OperationalError
from django.http import Http404
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.test import APIRequestFactory

from rondine.core.errors import InputError, NotFound, Stale
from rondine.server.access.models import Project
from rondine.server.api.pagination import KeysetPagination
from rondine.server.api.parameters import KnownParameters
from rondine.server.api.problems import exception_handler, named, problem
from rondine.server.api.progress import told
from rondine.server.api.requests import Strict, checked, checked_limit, seen_version, sending_mark
from rondine.server.connecting.models import Environment, Service
from rondine.server.items.references import counts_of_members

FACTORY = APIRequestFactory()


def asked(path="/", **headers):
    return Request(FACTORY.get(path, headers=headers))


# --- pages


@pytest.fixture
def names(db):
    project = Project.objects.create(name="pages")
    for number in range(23):
        Environment.objects.create(project=project, name=f"stage-{number:02}")
    return Environment.objects.filter(project=project)


def walk(queryset, ordering, limit, meanwhile=lambda page: None):
    found, after = [], None
    while True:
        pagination = KeysetPagination()
        query = f"/?limit={limit}" + (f"&after={after}" if after else "")
        rows = pagination.paginate_queryset(queryset, asked(query), SimpleNamespace(ordering=ordering))
        found += [row.name for row in rows]
        meanwhile(rows)
        after = pagination.next
        if after is None:
            return found


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(limit=st.integers(1, 30), ordering=st.sampled_from(["name", "-name", "pk", "-pk"]))
def test_pages_of_any_size_and_order_give_every_row_once(names, limit, ordering):
    every = [row.name for row in names.order_by(ordering)]
    assert walk(names.all(), ordering, limit) == every


def test_rows_that_come_and_go_meanwhile_neither_repeat_nor_skip_others(names):
    project = Project.objects.get(name="pages")
    gone = iter(["stage-00", "stage-04", "stage-09"])
    made = iter(["stage-01-a", "aaa", "stage-99"])

    def meanwhile(rows):
        names.filter(name=next(gone, "none")).delete()
        if name := next(made, None):
            Environment.objects.create(project=project, name=name)

    found = walk(names.all(), "name", 5, meanwhile)
    assert len(found) == len(set(found))
    assert {f"stage-{number:02}" for number in range(23)} - set(found) <= {"stage-09"}
    assert "stage-99" in found and "aaa" not in found  # what comes behind is seen, what comes before is not


@pytest.mark.parametrize(
    ("query", "where", "words"),
    [
        ("limit=0", "?limit", "page size"),
        ("limit=501", "?limit", "page size"),
        ("limit=-1", "?limit", "page size"),
        ("limit=ten", "?limit", "page size"),
        ("after=x", "?after", "cursor"),
    ],
)
def test_a_page_that_cannot_be_is_refused_where_it_is_asked_for(names, query, where, words):
    with pytest.raises(InputError) as raised:
        KeysetPagination().paginate_queryset(names, asked(f"/?{query}"), SimpleNamespace(ordering="pk"))
    assert raised.value.where == where and words in raised.value.message and raised.value.hint


def test_what_belongs_to_services_is_counted_for_each_by_kind(db):
    project = Project.objects.create(name="counts")
    environment = Environment.objects.create(project=project, name="test")
    register, desk = (Service.objects.create(project=project, name=name) for name in ("register", "desk"))
    for number in range(3):
        register.operations.create(project=project, name=f"list-{number}")
    register.connections.create(project=project, name="register-test", environment=environment)
    counts = counts_of_members(Service, [register, desk])
    assert counts == {register.pk: {"operations": 3, "connections": 1}, desk.pk: {}}


# --- what a request may say


@pytest.mark.parametrize(("text", "limit"), [(None, 50), ("1", 1), ("500", 500), ("007", 7)])
def test_a_page_size_is_a_number_in_its_bounds(text, limit):
    assert checked_limit(text) == limit


@pytest.mark.parametrize(("tag", "version"), [('"3"', 3), (' "12" ', 12)])
def test_the_version_that_was_seen_is_one_strong_tag(tag, version):
    assert seen_version(asked(**{"If-Match": tag})) == version
    assert seen_version(asked()) is None


@pytest.mark.parametrize("tag", ['W/"3"', "3", "*", '"3", "4"', '"x"', '""', '"1234567890"'])
def test_any_other_tag_is_refused(tag):
    with pytest.raises(InputError) as raised:
        seen_version(asked(**{"If-Match": tag}))
    assert raised.value.where == "If-Match"


@pytest.mark.parametrize(
    ("text", "mark"), [("", ""), ("12345678", "12345678"), ('"a-b-c-d-e"', "a-b-c-d-e"), ("x" * 100, "x" * 100)]
)
def test_a_mark_of_a_sending_is_taken_with_and_without_quotes(text, mark):
    assert sending_mark(asked(**{"Idempotency-Key": text})) == mark


@pytest.mark.parametrize("text", ["short", "x" * 101, "with blank 1", 'quo"te-12345', "ümlaut-12345"])
def test_what_is_no_mark_is_refused(text):
    request = asked()
    request.META["HTTP_IDEMPOTENCY_KEY"] = text
    with pytest.raises(InputError) as raised:
        sending_mark(request)
    assert raised.value.where == "Idempotency-Key"


class Inner(Strict):
    latin = serializers.CharField()


class Tree(Strict):
    number = serializers.CharField(max_length=8)
    species = Inner(many=True, required=False)
    note = serializers.CharField(required=False)
    text = serializers.CharField(required=False)
    version = serializers.IntegerField(read_only=True)


def refused(body):
    with pytest.raises(exceptions.ValidationError) as raised:
        checked(Tree, SimpleNamespace(data=body))
    return named(raised.value)


@pytest.mark.parametrize(
    ("body", "where", "words"),
    [
        ({"numbre": "1"}, "/numbre", 'did you mean "number"?'),
        ({"number": "1", "version": 3}, "/version", "no field"),
        ({}, "/number", "required"),
        ({"number": "123456789"}, "/number", "8 characters"),
        ({"number": "1", "species": [{"latin": "Tilia"}, {}]}, "/species/1/latin", "required"),
        ({"number": "1", "species": [{"latin": "Tilia", "common": "lime"}]}, "/species/0/common", "no field"),
        ({"number": "1", "note": "x" * 10_001}, "/note", "10000 characters"),
        ([], "/", "an object is expected"),
        ("text", "/", "an object is expected"),
    ],
)
def test_a_body_that_is_wrong_is_told_where_it_is(body, where, words):
    error = refused(body)
    assert (error.status, error.where) == (400, where) and words in error.message


def test_every_fault_of_a_body_is_told_and_long_contents_are_none():
    error = refused({"number": "123456789", "species": [{}]})
    assert {one.where for one in error.problems} == {"/number", "/species/0/latin"}
    assert checked(Tree, SimpleNamespace(data={"number": "1", "text": "x" * 20_000}))["number"] == "1"


class Asks(serializers.Serializer):
    depth = serializers.IntegerField(min_value=1, required=False)


class View(KnownParameters):
    query = {"GET": Asks}


def test_parameters_that_mean_nothing_here_are_refused_and_wrong_ones_told():
    view = View()
    view.check_parameters(asked("/?depth=2"))
    assert view.queried(asked("/?depth=2")) == {"depth": 2}
    with pytest.raises(InputError) as raised:
        view.check_parameters(asked("/?dept=2"))
    assert (raised.value.where, raised.value.hint) == ("?dept", 'did you mean "depth"?')
    for wrong in ("/?depth=0", "/?depth=x", "/?depth="):
        with pytest.raises(InputError) as raised:
            view.queried(asked(wrong))
        assert raised.value.where == "?depth"


# --- errors


@pytest.mark.parametrize(
    ("error", "status", "code"),
    [
        (NotFound("there is none", where="x"), 404, "not_found"),
        (InputError("wrong", where="/x"), 400, "wrong_input"),
        (Stale("too late", where="If-Match"), 412, "changed_meanwhile"),
        (exceptions.NotAuthenticated(), 401, "sign_in_needed"),
        (exceptions.PermissionDenied("CSRF Failed"), 403, "not_allowed"),
        (exceptions.MethodNotAllowed("PUT"), 405, "wrong_input"),
        (exceptions.UnsupportedMediaType("text/csv"), 415, "wrong_input"),
        (exceptions.NotAcceptable(), 406, "wrong_input"),
        (Http404(), 404, "not_found"),
        (RequestDataTooBig(), 413, "wrong_input"),
        (OperationalError("server closed the connection"), 503, "database_away"),
        (KeyError("a secret of the inside"), 500, "error"),
    ],
)
def test_every_error_is_a_problem_with_status_code_place_and_advice(error, status, code):
    found = problem(named(error))
    assert (found["status"], found["code"]) == (status, code)
    assert found["type"] == f"urn:rondine:problem:{code}" and found["detail"] and found["where"]
    assert "secret of the inside" not in json.dumps(found) and "server closed" not in json.dumps(found)


def test_only_who_is_not_signed_in_is_asked_to_sign_in():
    assert exception_handler(exceptions.NotAuthenticated(), {})["WWW-Authenticate"] == "Bearer"
    assert "WWW-Authenticate" not in exception_handler(Http404(), {})
    assert exception_handler(Http404(), {}).content_type == "application/problem+json"


# --- long work


async def lines_of(work):
    return [json.loads(line) async for line in told(work).streaming_content]


async def test_the_result_of_long_work_comes_last_after_its_progress():
    async def work(report):
        report("operations", 1, 3)
        report("operations", 2, 3)  # too soon after the first to be told
        await asyncio.sleep(0)
        return {"count": 3}

    assert await lines_of(work) == [
        {"progress": {"what": "operations", "done": 1, "of": 3}},
        {"result": {"count": 3}},
    ]


async def test_long_work_that_fails_ends_with_its_problem():
    async def work(report):
        raise InputError("no definition", where="/files/0")

    (line,) = await lines_of(work)
    assert (line["problem"]["where"], line["problem"]["status"]) == ("/files/0", 400)


async def test_long_work_ends_when_nobody_reads_any_more():
    ended = threading.Event()

    async def work(report):
        def endless():
            try:
                while True:
                    report("operations", 1, 0)
                    threading.Event().wait(0.01)
            finally:
                ended.set()

        await asyncio.to_thread(endless)

    stream = told(work).streaming_content
    assert "progress" in json.loads(await anext(stream))
    await stream.aclose()
    assert await asyncio.to_thread(ended.wait, 10)
