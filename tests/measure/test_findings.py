"""Findings: which figures speak, how loudly, and in which words."""

import dataclasses
from pathlib import Path

import numpy as np
import pytest

from all_even.measure.faults.findings import LABELS, findings
from all_even.measure.recording.files import FileReport, measure_file
from all_even.measure.recording.track import TrackMeasures
from tests.conftest import RATE, noise
from tests.measuring import measure_samples


@pytest.fixture(scope="module")
def clean() -> TrackMeasures:
    return measure_samples(noise(3.0)[:, np.newaxis], RATE)


def spoken(measures: TrackMeasures, **changes) -> list[tuple[str, str]]:
    report = FileReport(Path("a.wav"), measures=dataclasses.replace(measures, **changes))
    return [(finding.kind, finding.severity) for finding in findings(report)]


def test_a_clean_track_says_nothing(clean):
    assert spoken(clean) == []


@pytest.mark.parametrize(
    ("changes", "expected"),
    [
        ({"clipped_runs": 3}, [("clipped", "fault")]),
        ({"clipped_runs": 2}, []),
        ({"limited": True}, [("limited", "note")]),
        ({"limited": True, "clipped_runs": 40}, [("clipped", "fault")]),
        ({"dc_offset": 0.0011}, [("dc_offset", "fault")]),
        ({"dc_offset": -0.0009}, []),
        ({"identical_channels": True}, [("identical_channels", "note")]),
        ({"noise_floor_dbfs": -54.0}, [("noise", "note")]),
        ({"noise_floor_dbfs": -56.0}, []),
        ({"not_finite": 1}, [("not_finite", "fault")]),
        ({"integrated_lufs": None, "sample_peak_dbfs": None}, [("silent", "note")]),
    ],
)
def test_each_figure_has_its_threshold(clean, changes, expected):
    assert spoken(clean, **changes) == expected


def test_faults_come_before_notes(clean):
    kinds = spoken(clean, identical_channels=True, noise_floor_dbfs=-40.0, dc_offset=0.1, not_finite=3)
    assert [severity for _, severity in kinds] == ["fault", "fault", "note", "note"]


def test_a_file_that_can_not_be_read_is_a_fault_with_its_sentence():
    (finding,) = findings(FileReport(Path("a.wav"), error="a.wav is empty: it has 0 bytes."))
    assert (finding.kind, finding.severity, finding.text) == ("unreadable", "fault", "a.wav is empty: it has 0 bytes.")


def test_every_kind_has_a_short_label_and_a_row_in_the_documentation():
    text = (Path(__file__).parents[2] / "docs" / "command-line.md").read_text(encoding="utf-8")
    assert all(f"`{kind}`" in text for kind in LABELS)


def test_six_channels_offer_a_pair(write):
    report = measure_file(write("six.wav", np.zeros((100, 6))))
    assert report.offered_channels == 6
    assert not report.ok
    taken = measure_file(report.path, take=(5, 6))
    assert taken.ok
    assert taken.measures.channels == 2
