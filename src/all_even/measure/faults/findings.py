"""What the measures of a file say about the recording, as sentences an engineer can act on.

`fault`: something is wrong with the file. `note`: worth knowing before mixing. Kinds are listed in
docs/command-line.md; thresholds are common practice unless a source is named.
"""

from dataclasses import dataclass
from typing import Literal

from all_even.measure.recording.character import Character
from all_even.measure.recording.files import FileReport

DC_LIMIT = 0.001  # -60 dBFS: enough to move a threshold, not audible by itself
CLIPPED_RUNS_FAULT = 3
NOISE_NOTE_DBFS = -55.0
HUM_FAULT_DBFS = -70.0
INVERTED_CORRELATION = -0.9
OVER_FLOOR_DB = 6.0
"""What goes on at an end of the file less than this over its noise or hum is that."""
SHORTEST_S = 0.4  # one momentary window


@dataclass(frozen=True, slots=True)
class Finding:
    """time_s: where the first of it is, None where it is everywhere. size: in its own unit, as in the text."""

    kind: str
    severity: Literal["fault", "note"]
    text: str
    time_s: float | None = None
    size: float | None = None

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
    "dc_offset": "DC offset",
    "identical_channels": "left = right",
    "inverted_channel": "sides cancel",
    "dead_channel": "one side dead",
    "dropout": "drops out",
    "cut_start": "begins cut",
    "cut_end": "ends cut",
    "hum": "hums",
    "noise": "noisy",
    "reverb": "reverb printed",
}


def findings(report: FileReport, *, held: bool = True) -> tuple[Finding, ...]:
    """All findings on one file, faults first. held: whether it is an instrument whose notes are held until they are let
    go; of others printed reverberation can't be told."""
    found: list[Finding] = []

    def add(
        kind: str, severity: Literal["fault", "note"], text: str, time_s: float | None = None, size: float | None = None
    ) -> None:
        found.append(Finding(kind, severity, text, time_s, size))

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
            "a printed overload stays.", None, float(measures.clipped_runs),
        )  # fmt: skip
    elif measures.limited:
        add("limited", "note", "Limiting is printed: the peaks press against one ceiling.")
    if abs(measures.dc_offset) > DC_LIMIT:
        add(
            "dc_offset",
            "fault",
            f"DC offset: the mean lies at {_signed(100 * measures.dc_offset)} % of full scale.",
            None,
            measures.dc_offset,
        )
    if measures.identical_channels:
        add("identical_channels", "note", "Left and right are the same: a mono sound in a stereo file.")
    elif measures.dead_channel is not None:
        side = ("left", "right")[measures.dead_channel - 1]
        add("dead_channel", "fault", f"The {side} side is dead: all of the sound is on the other one.")
    elif measures.correlation is not None and measures.correlation < INVERTED_CORRELATION:
        add(
            "inverted_channel", "fault",
            f"One side is polarity inverted (correlation {_signed(measures.correlation)}): in mono it cancels.",
            None, measures.correlation,
        )  # fmt: skip
    floor = measures.noise_floor_dbfs
    hum = report.character.hum if report.character else None
    if floor is not None and floor > NOISE_NOTE_DBFS and hum is None:
        add("noise", "note", f"Noise floor {_db(floor)} dBFS where nobody plays.", None, floor)
    if report.character is not None and measures.integrated_lufs is not None:
        found += _of_character(report.character, measures.duration_s, floor, held)
    return tuple(sorted(found, key=lambda finding: finding.severity))


def _of_character(character: Character, duration_s: float, floor_dbfs: float | None, held: bool) -> list[Finding]:
    """Dropouts, cut ends, hum, reverberation."""
    found = []
    holes = character.dropouts
    if holes:
        longest = 1000.0 * max(length for _, length in holes)
        places = ", ".join(clock(time) for time, _ in holes[:3]) + (" and later" if len(holes) > 3 else "")
        count = "1 dropout" if len(holes) == 1 else f"{len(holes)} dropouts"
        text = f"{count}, at {places}: the sound stops dead for up to {longest:.1f} ms and goes on."
        found.append(Finding("dropout", "fault", text, holes[0][0], longest))
    hum, cuts = character.hum, character.cuts
    steady = [level for level in (floor_dbfs, hum.level_dbfs if hum else None) if level is not None]
    lowest = max(steady, default=-200.0) + OVER_FLOOR_DB
    if cuts.start_dbfs is not None and cuts.start_dbfs > lowest:
        text = f"Begins in the middle of a sound, at {_db(cuts.start_dbfs)} dBFS, without a fade."
        found.append(Finding("cut_start", "fault", text, 0.0, cuts.start_dbfs))
    if cuts.end_dbfs is not None and cuts.end_dbfs > lowest:
        text = f"Ends in the middle of a sound, at {_db(cuts.end_dbfs)} dBFS, without a fade."
        found.append(Finding("cut_end", "fault", text, duration_s, cuts.end_dbfs))
    if hum is not None:
        lines = ", ".join(f"{line:.0f}" for line in hum.lines_hz[:4])
        text = f"Mains hum of {hum.mains_hz:.0f} Hz, {_db(hum.level_dbfs)} dBFS, at {lines} Hz."
        severity: Literal["fault", "note"] = "fault" if hum.level_dbfs > HUM_FAULT_DBFS else "note"
        found.append(Finding("hum", severity, text, None, hum.level_dbfs))
    if held and character.reverb_s is not None:
        text = f"Reverberation is printed: notes die away over {character.reverb_s:.1f} s or more (60 dB)."
        found.append(Finding("reverb", "note", text, None, character.reverb_s))
    return found


def clock(time_s: float) -> str:
    """A place in a file, minutes and seconds."""
    return f"{int(time_s // 60)}:{time_s % 60:06.3f}"


def _db(value: float) -> str:
    return f"{value:.1f}".replace("-", "−")


def _signed(value: float) -> str:
    return f"{value:+.2f}".replace("-", "−")
