"""A database of an earlier version, taken over with everything in it."""

import json
import os
import subprocess
import sys
from decimal import Decimal

import psycopg
import pytest
from tests.whole_rondine import ROOT

#: Where the apps' migrations ended before they were parted, and the name that one had then.
BEFORE = {
    "contenttypes": "0002_remove_content_type_name",
    "access": "0003_installation",
    "items": "0001_initial",
    "connecting": "0008_callback",
    "records": "0003_kept_records",
    "runs": "0005_sending",
}
ROWS = """
INSERT INTO access_project (id, name, title, naming, made_at) VALUES (1, 'olmara', 'Tree office', '{}', now());
INSERT INTO services_environment (id, project_id, name, title, description, is_protected, callback)
    VALUES (1, 1, 'test', '', '', false, '');
INSERT INTO services_service (id, project_id, name, title, version, document, problems, changed_at)
    VALUES (gen_random_uuid(), 1, 'register', 'Register', 1, '{}', '[]', now());
INSERT INTO services_operation (id, project_id, service_id, name, title, version, document, problems, changed_at)
    SELECT gen_random_uuid(), 1, id, 'list-trees', 'Trees', 7, '{"path": "/trees"}', '[]', now() FROM services_service;
INSERT INTO records_mapping (id, project_id, service_id, name, title, version, document, problems, changed_at)
    SELECT gen_random_uuid(), 1, id, 'trees', '', 1, '%MAPPING%', '[]', now() FROM services_service;
INSERT INTO services_connection (id, project_id, environment_id, service_id, name, title, version, document, problems,
changed_at)
    SELECT gen_random_uuid(), 1, 1, id, 'register-test', '', 1, '{"place": "harbour", "sign_in": {"type": "api_key", "name": "place", "place": "query"}, "own_sign_ins": [{"operation": "list-trees", "sign_in": {"type": "sign_in_operation", "operation": "log-in", "carried_in": "cookie"}}]}', '[]', now() FROM services_service;
INSERT INTO items_revision (project_id, kind, item_id, name, version, content, what, why, at)
    SELECT 1, 'connections', id, name, 1, jsonb_build_object('name', name, 'document', document), 'made', '',
    now() FROM services_connection;
INSERT INTO records_feed (id, project_id, environment_id, operation_id, mapping_id, name, title, version, document,
problems, changed_at)
    SELECT gen_random_uuid(), 1, 1, o.id, m.id, 'trees', '', 1,
    '{"inputs": {"district": {"standing": "our-district"}}}', '[]', now() FROM services_operation o, records_mapping m;
INSERT INTO runs_run (id, project_id, environment_id, feed_id, operation_id, kind, title, state, attempt, inputs,
content, ending, completeness, remarks, queued_at)
    SELECT 1, 1, 1, f.id, f.operation_id, 'feed', '', 'done', 1, '{}', '{}', '', '', '[]', now() FROM records_feed f;
INSERT INTO runs_run (id, project_id, environment_id, kind, title, state, attempt, inputs, content, ending,
completeness, remarks, queued_at)
    VALUES (2, 1, 1, 'feed', '', 'done', 1, '{}', '{"mapping": %MAPPING%}', '', '', '[]', now());
INSERT INTO runs_run (id, project_id, environment_id, kind, title, state, attempt, inputs, content, checkpoint, ending,
completeness, remarks, queued_at)
    VALUES (3, 1, 1, 'feed', '', 'queued', 1, '{}',
    '{"operation": {"paging": {"type": "page_number", "parameter": "sheet", "total": "/total"}}}',
    '{"next": "http://127.0.0.1:1/trees?sheet=7", "calls": 6}', '', '', '[]', now()),
    (4, 1, 1, 'feed', '', 'queued', 1, '{}', '{"operation": {"paging": {"type": "link_header"}}}',
    '{"next": "http://127.0.0.1:1/trees?start=7", "calls": 6}', '', '', '[]', now());
INSERT INTO services_body (id, project_id, media_type, charset, size, stored, made_at) VALUES (gen_random_uuid(), 1,
'', 'utf-8', 0, '', now());
"""
#: A mapping in the words of then; a field may have the name of one.
MAPPING = """{"outputs": [{"record_type": "tree", "fields": [
    {"name": "around", "from": {"standing": "cut"}, "convert": [{"type": "cut", "begin": 4}, {"type": "around",
    "before": "~", "behind": " m"},
        {"type": "reckon", "what": "most"}], "default": 0.1000000000000000055}]}]}"""


@pytest.fixture
def database():
    cluster = os.environ["RONDINE_DATABASE"]
    name = f"rondine_upgraded_{os.getpid()}"
    with psycopg.connect(cluster, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name}")
        yield f"{cluster.rpartition('/')[0]}/{name}"
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


def test_what_an_earlier_version_kept_is_there_after_prepare(database, tmp_path):
    env = {**os.environ, "RONDINE_DATABASE": database, "RONDINE_HOME": str(tmp_path), "PYTHONPATH": str(ROOT / "src")}

    def run(*words):
        subprocess.run([sys.executable, *words], env=env, cwd=ROOT, check=True)

    for app, migration in BEFORE.items():
        run("manage.py", "migrate", "--verbosity", "0", app, migration)
    with psycopg.connect(database, autocommit=True) as connection:
        tables = connection.execute(r"SELECT tablename FROM pg_tables WHERE tablename LIKE 'connecting\_%'").fetchall()
        for (table,) in tables:
            connection.execute(f"ALTER TABLE {table} RENAME TO services_{table.removeprefix('connecting_')}")
        connection.execute("UPDATE django_migrations SET app = 'services' WHERE app = 'connecting'")
        connection.execute(ROWS.replace("%MAPPING%", MAPPING))
    run("-m", "rondine.server.main", "prepare")
    run("-m", "rondine.server.main", "prepare")  # and again, as every start does
    with psycopg.connect(database) as connection:
        found = connection.execute(
            "SELECT s.name, o.name, o.version, o.document, m.name, f.name, r.state FROM runs_run r JOIN feeds_feed f ON"
            " f.id = r.feed_id JOIN operations_operation o ON o.id = f.operation_id JOIN mappings_mapping m ON m.id ="
            " f.mapping_id JOIN connecting_service s ON s.id = o.service_id"
        ).fetchall()
        assert found == [("register", "list-trees", 7, {"path": "/trees"}, "trees", "trees", "done")]
        assert connection.execute("SELECT count(*) FROM runs_body").fetchone() == (1,)
        references = "SELECT user_kind, kind, name, pointer FROM items_reference"
        assert sorted(connection.execute(references).fetchall()) == [
            ("connections", "operations", "list-trees", "/own_sign_ins/0/operation"),
            ("connections", "operations", "log-in", "/own_sign_ins/0/sign_in/operation"),
            ("feeds", "standing-values", "our-district", "/inputs/district/standing"),
            ("mappings", "record-types", "tree", "/outputs/0/record_type"),
            ("mappings", "standing-values", "cut", "/outputs/0/fields/0/from/standing"),
        ]
        texts = (
            "SELECT document::text FROM mappings_mapping UNION ALL SELECT (content->'mapping')::text FROM runs_run"
            " WHERE id = 2"
        )
        for (text,) in connection.execute(texts).fetchall():
            (field,) = json.loads(text, parse_float=Decimal)["outputs"][0]["fields"]
            assert (field["name"], field["from"]) == ("around", {"standing": "cut"})
            assert field["default"] == Decimal("0.1000000000000000055")
            assert field["convert"] == [
                {"type": "substring", "begin": 4},
                {"type": "affix", "prefix": "~", "suffix": " m"},
                {"type": "aggregate", "function": "max"},
            ]
        texts = "SELECT document FROM connecting_connection UNION ALL SELECT content->'document' FROM items_revision"
        for (document,) in connection.execute(texts).fetchall():
            assert document["site"] == "harbour"
            assert document["sign_in"] == {"type": "api_key", "name": "place", "carrier": "query"}
            assert document["own_sign_ins"][0]["sign_in"]["carrier"] == "cookie"
        texts = "SELECT content->'operation'->'paging', checkpoint->'next' FROM runs_run WHERE id IN (3, 4) ORDER BY id"
        assert connection.execute(texts).fetchall() == [
            ({"type": "page_number", "input": "sheet", "total": "/total"}, {"position": [7, 0]}),
            ({"type": "link_header"}, {"position": "http://127.0.0.1:1/trees?start=7"}),
        ]
        left = "SELECT tablename FROM pg_tables WHERE tablename ~ '^(services_|records_feed|connecting_operation)'"
        assert connection.execute(left).fetchall() == []
