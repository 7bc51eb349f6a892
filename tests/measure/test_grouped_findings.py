"""Findings of a folder together: worst kind first, and an excerpt said once."""

from all_even.measure.faults.findings import LABELS, Finding
from all_even.measure.faults.grouped import WORDS, WORST_FIRST, grouped


def fault(kind: str, size: float | None = None) -> Finding:
    return Finding(kind, "fault", f"{kind}.", None, size)


def note(kind: str) -> Finding:
    return Finding(kind, "note", f"{kind}.")


def test_kinds_come_worst_first_and_the_worst_lane_of_each():
    found = grouped({
        "a": (fault("dc_offset", 0.002), note("noise")),
        "b": (fault("clipped", 4.0), fault("dc_offset", -0.02)),
        "c": (fault("clipped", 40.0), fault("truncated")),
        "d": (),
    })  # fmt: skip
    assert [group.kind for group in found.groups] == ["truncated", "clipped", "dc_offset"]
    assert [lane for lane, _ in found.groups[1].lanes] == ["c", "b"]
    assert [lane for lane, _ in found.groups[2].lanes] == ["b", "a"]
    assert found.count == 5
    assert found.excerpt == ""


def test_a_folder_cut_out_of_something_longer_is_one_sentence():
    found = grouped({
        "a": (fault("cut_start", -20.0), fault("cut_end", -20.0)),
        "b": (fault("cut_end", -30.0), fault("hum", -60.0)),
        "c": (),
    })  # fmt: skip
    assert [group.kind for group in found.groups] == ["hum"]
    assert "2 of 3 files" in found.excerpt
    one = grouped({"a": (fault("cut_start", -20.0),), "b": (), "c": ()})
    assert one.excerpt == ""
    assert one.count == 1


def test_every_kind_of_fault_has_its_place_and_its_words():
    assert set(WORST_FIRST) == set(WORDS)
    assert set(WORST_FIRST) <= set(LABELS)
