"""Workers, web processes and connections that end at random moments: in the end all is as if they had not.
`speed/crashes.py` plays many more rounds, and kills PostgreSQL itself."""

import signal

import psycopg
from tests import crashes
from tests.made_feed import ROWS, feed, whole
from tests.whole_rondine import wait_until

KILLS = ("", "worker", "web", "connections")


def test_what_dies_at_any_moment_changes_nothing(rondine):
    crashes.schedule(rondine, "due-in-crashes", "PT10S")
    disturbed = crashes.Rounds(rondine, "in-crashes", seed=11)
    for number, kill in enumerate(KILLS):
        disturbed.play(number, kill)
    undisturbed = crashes.Rounds(rondine, "in-peace", seed=11)
    for number in range(len(KILLS)):
        undisturbed.play(number)
    rondine.control()
    found, expected = disturbed.story(), undisturbed.story()
    assert expected["deliveries"] == len(KILLS) * crashes.DELIVERIES
    for part, value in expected.items():
        assert found[part] == value, part
    wait_until(lambda: len(crashes.due_times(rondine, "due-in-crashes")) >= 3, 120)
    assert crashes.check_schedule(rondine, "due-in-crashes") >= 3


def indexes_of(rondine, name):
    """Whether each index of the fields of a type is whole."""
    return rondine.sql(
        "SELECT i.indexrelid::regclass::text, i.indisvalid FROM pg_index i"
        " JOIN records_recordset s ON i.indexrelid::regclass::text LIKE 'records\\_' || s.id || '\\_%%'"
        " JOIN records_recordtype t ON t.id = s.record_type_id WHERE t.name = %s",
        name,
    )


def test_an_index_is_built_though_its_builder_dies_and_holds_up_nobody(rondine, trees):
    """An older transaction keeps it from being ready, for as long as it takes to kill who builds it."""
    name = feed(rondine, trees, "index-in-crashes", whole(ROWS))
    with psycopg.connect(rondine.uri) as older:
        older.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        older.execute("SELECT count(*) FROM records_record")
        rondine.finish(name)
        wait_until(lambda: any(not is_valid for _, is_valid in indexes_of(rondine, name)), 60)
        rondine.end("worker", signal.SIGKILL)
        rondine.start_worker()
        trees.pages = whole(ROWS[1:])
        run = rondine.finish(name)  # while what the dead one began is still under way
        assert run["state"] == "done" and run["counts"][0]["unchanged"] == len(ROWS) - 1, run
    found = wait_until(lambda: (all_there := indexes_of(rondine, name)) and len(all_there) == 2 and all_there, 120)
    wait_until(lambda: all(is_valid for _, is_valid in indexes_of(rondine, name)), 120)
    assert {index.rpartition("_")[2] for index, _ in found} == {"text", "decimal"}
    indexed = "SELECT indexed FROM records_recordset s JOIN records_recordtype t ON t.id = s.record_type_id"
    wait_until(lambda: len(rondine.sql(f"{indexed} WHERE t.name = %s", name)[0][0]) == 2, 60)
    assert len(list(rondine.office().records.search("test", name, girth="3"))) == 1
