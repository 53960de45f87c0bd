"""Workers, web processes and connections that end at random moments: in the end all is as if they had not.
`speed/crashes.py` plays many more rounds, and kills PostgreSQL itself."""

from tests import crashes

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
    assert crashes.check_schedule(rondine, "due-in-crashes") >= 3
