"""Remarks of a run: each once, bounded, and none of a kind is crowded out by others."""

from rondine.server.runs.remarks import MOST, Remark, merged


def test_many_remarks_leave_one_of_each_kind():
    drift = [Remark("drift", f"$.trees[*].field{number} is new", call=1) for number in range(MOST * 2)]
    found = merged(drift, [Remark("undelimited", "it may have broken off", call=2)])
    assert len(found) == MOST + 1 and found[-1].kind == "undelimited"


def test_the_same_of_another_call_counts_up_and_of_the_same_call_does_not():
    one = Remark("partial", "the service answered in part", call=1)
    assert merged([one], [one]) == [one]
    assert merged([one], [Remark("partial", one.message, call=2)])[0].times == 2
