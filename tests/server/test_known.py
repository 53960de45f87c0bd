"""Which rows are known again, whatever order they come in, and how much is held for it."""

from hashlib import blake2b
from random import Random

import pytest

from rondine.server.feeds.known import FURTHER, KnownRows

SIZE = 1_000


def hashed(number):
    return blake2b(str(number).encode(), digest_size=16).digest()


class Batches:
    """So many batches of rows, numbered from 1, whose loads are counted."""

    def __init__(self, count):
        self.ids = list(range(count))
        self.loads = []

    def load(self, pk):
        self.loads.append(pk)
        return {hashed(number): number for number in range(pk * SIZE + 1, (pk + 1) * SIZE + 1)}

    def rows(self):
        known = KnownRows(self.ids, self.load)
        return known, lambda numbers: list(known.ids_of([hashed(number) for number in numbers]))


def pages(numbers, size=100):
    return [numbers[at : at + size] for at in range(0, len(numbers), size)]


def test_rows_in_their_order_load_each_batch_once():
    batches = Batches(5)
    known, ids_of = batches.rows()
    for page in pages(range(1, 5 * SIZE + 1), 300):
        assert ids_of(page) == list(page)
        assert len(known._held) <= KnownRows.HELD
    assert batches.loads == [0, 1, 2, 3, 4]


def test_new_rows_and_rows_that_moved_a_little_are_told_apart():
    random = Random(3)
    numbers = list(range(1, 5 * SIZE + 1))
    for _ in range(200):
        numbers.insert(random.randrange(len(numbers)), 0)  # new ones
    for at in range(0, len(numbers) - 600, 37):
        other = at + random.randrange(500)
        numbers[at], numbers[other] = numbers[other], numbers[at]
    _, ids_of = Batches(5).rows()
    found = [one for page in pages(numbers) for one in ids_of(page)]
    assert sum(one == number for one, number in zip(found, numbers, strict=True)) == len(numbers)


@pytest.mark.parametrize("numbers", [range(5 * SIZE, 0, -1), [*range(3 * SIZE + 1, 5 * SIZE), *range(1, 3 * SIZE)]])
def test_rows_in_another_order_are_found_after_a_while(numbers):
    numbers = [number for number in numbers for _ in range(3)]  # more, so that there is time to look
    known, ids_of = Batches(5).rows()
    found = [ids_of(page) for page in pages([0] * 5 * FURTHER + numbers)]
    assert sum(bool(one) for page in found for one in page) > len(numbers) / 3
    assert not known.is_over


def test_it_is_given_up_where_nothing_comes_again():
    batches = Batches(2)
    known, ids_of = batches.rows()
    assert ids_of([0] * 10) == [0] * 10 and not known.is_over
    for _ in range(7 * FURTHER // 100):
        ids_of([0] * 100)
    loads = len(batches.loads)
    assert known.is_over and ids_of([1, 2]) == [0, 0] and len(batches.loads) == loads
    assert KnownRows([], batches.load).is_over
