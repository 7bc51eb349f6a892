"""Who is who: which tracks somebody has to say something of, what they may be, and where they are heard best."""

import numpy as np

from all_even.figures.book.look import Look
from all_even.measure.level.third_octave import MIDBANDS_HZ
from all_even.measure.recording.character import Character
from all_even.measure.recording.files import FileReport
from all_even.measure.recording.sounding import SURE
from all_even.session.model.strips import Lane
from all_even.session.tracks import asking

CLEAR_S, STEP_S = 2.0, 0.1
LEAD_IN_S = 0.05
"""What is heard before the clearest passage begins."""


def character_of(look: Look, lane: Lane) -> Character | None:
    report = look.reports.get(lane.id)
    return report.character if report is not None else None


def confidence_of(look: Look, lane: Lane) -> float:
    """How sure a lane's role is, 0 to 1."""
    return asking.confidence(lane, character_of(look, lane))


def is_unsure(look: Look, lane: Lane) -> bool:
    """Whether somebody has to say what a lane in sight is; a silent one is nobody."""
    report = look.reports.get(lane.id)
    silent = report is not None and report.measures is not None and report.measures.integrated_lufs is None
    return not lane.hidden and not silent and asking.is_unsure(lane, character_of(look, lane))


def unsure_lanes(look: Look) -> tuple[Lane, ...]:
    """In the session's order."""
    return tuple(lane for lane in look.session.lanes if is_unsure(look, lane))


def likely_roles(look: Look, lane: Lane) -> tuple[str, ...]:
    """What a lane may be, the likeliest first; none where its sound tells nothing. Which pitched instrument one is, no
    figure of ours tells."""
    character, report = character_of(look, lane), look.reports.get(lane.id)
    found = character.sounding if character is not None else None
    if found is None or found.kind == "pitched" or found.likely < SURE or report is None or report.measures is None:
        return ()
    return asking.likely_roles(found.kind, asking.centroid_hz(report.measures.third_octave_db, tuple(MIDBANDS_HZ)))


def clearest_s(report: FileReport) -> tuple[float, float]:
    """(start, end) in seconds of the file of the two seconds that tell most: where it sounds loudest and longest."""
    duration_s = report.measures.duration_s if report.measures is not None else 0.0
    if report.envelope is None or duration_s <= CLEAR_S:
        return 0.0, max(0.0, duration_s)
    level = np.sqrt(report.envelope.astype(np.float64))
    summed = np.cumsum(np.insert(level, 0, 0.0))
    length = round(CLEAR_S * 1000)
    begins = np.arange(0, max(1, len(level) - length), round(STEP_S * 1000))
    best = int(begins[np.argmax(summed[begins + length] - summed[begins])])
    start_s = max(0.0, best / 1000.0 - LEAD_IN_S)
    return start_s, min(duration_s, start_s + CLEAR_S)
