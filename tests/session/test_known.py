"""What is worked out of a part of a session is known as long as that very part is there."""

from all_even.session.model.known import known_of


class Part:
    def __init__(self, value: int) -> None:
        self.value = value

    def __eq__(self, _other: object) -> bool:
        raise AssertionError("nobody asks whether they are equal")

    __hash__ = None


def test_the_very_same_part_is_looked_at_once_and_no_equal_one_is_taken_for_it():
    looked = []

    @known_of(2)
    def double(part: Part, factor: int = 2) -> int:
        looked.append(part.value)
        return factor * part.value

    one, other, third = Part(1), Part(1), Part(3)
    assert double(one) == double(one) == 2
    assert looked == [1]
    assert double(other) == 2
    assert double(one, 5) == 5
    assert looked == [1, 1, 1]
    assert double(third) == 6
    assert double(one) == 2  # the oldest made room, and is looked at again
    assert looked == [1, 1, 1, 3, 1]


def test_what_is_known_keeps_its_part_so_that_no_new_one_has_its_place_in_memory():
    @known_of(1000)
    def value(part: Part) -> int:
        return part.value

    assert [value(Part(number)) for number in range(500)] == list(range(500))
