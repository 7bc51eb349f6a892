"""What the measures of a file say about the recording, as sentences an engineer can act on.

`fault`: something is wrong with the file. `note`: worth knowing before mixing. Kinds are listed in
docs/command-line.md; thresholds are common practice unless a source is named.
"""

from dataclasses import dataclass
from typing import Literal

from all_even.measure.files import FileReport

DC_LIMIT = 0.001  # -60 dBFS: enough to move a threshold, not audible by itself
CLIPPED_RUNS_FAULT = 3
NOISE_NOTE_DBFS = -55.0
SHORTEST_S = 0.4  # one momentary window


@dataclass(frozen=True, slots=True)
class Finding:
    kind: str
    severity: Literal["fault", "note"]
    text: str

    @property
    def label(self) -> str:
        """Two or three words, for a row of a list."""
        return LABELS[self.kind]


LABELS = {
    "unreadable": "can't be read",
    "truncated": "cut short",
    "not_finite": "not-a-number samples",
    "silent": "holds no sound",
    "short": "very short",
    "clipped": "clipped",
    "limited": "limiting printed",
    "dc_offset": "direct current",
    "identical_channels": "left = right",
    "noise": "noisy",
}


def findings(report: FileReport) -> tuple[Finding, ...]:
    """All findings on one file, faults first."""
    found: list[Finding] = []

    def add(kind: str, severity: Literal["fault", "note"], text: str) -> None:
        found.append(Finding(kind, severity, text))

    if report.error:
        add("unreadable", "fault", report.error)
    if report.defect:
        add("truncated", "fault", report.defect)
    measures = report.measures
    if measures is None:
        return tuple(found)
    if measures.not_finite:
        count = measures.not_finite
        what = "1 sample is not a number; it is" if count == 1 else f"{count} samples are not numbers; they are"
        add("not_finite", "fault", f"{what} read as silence.")
    if measures.duration_s < SHORTEST_S:
        add("short", "note", f"Only {1000 * measures.duration_s:.0f} ms long: too short to have a loudness.")
        return tuple(found)
    if measures.integrated_lufs is None:
        peak = measures.sample_peak_dbfs
        level = "digital silence" if peak is None else f"never over −70 LUFS, peak {_db(peak)} dBFS"
        add("silent", "note", f"Holds no sound: {level}.")
    if measures.clipped_runs >= CLIPPED_RUNS_FAULT:
        add(
            "clipped", "fault",
            f"Clipped in {measures.clipped_runs} places at {_db(measures.sample_peak_dbfs or 0.0)} dBFS; "
            "a printed overload stays.",
        )  # fmt: skip
    elif measures.limited:
        add("limited", "note", "Limiting is printed: the peaks press against one ceiling.")
    if abs(measures.dc_offset) > DC_LIMIT:
        add(
            "dc_offset",
            "fault",
            f"Direct current: the mean lies at {_signed(100 * measures.dc_offset)} % of full scale.",
        )
    if measures.identical_channels:
        add("identical_channels", "note", "Left and right are the same: a mono sound in a stereo file.")
    floor = measures.noise_floor_dbfs
    if floor is not None and floor > NOISE_NOTE_DBFS:
        add("noise", "note", f"Noise floor {_db(floor)} dBFS where nobody plays.")
    return tuple(sorted(found, key=lambda finding: finding.severity))


def _db(value: float) -> str:
    return f"{value:.1f}".replace("-", "−")


def _signed(value: float) -> str:
    return f"{value:+.2f}".replace("-", "−")
