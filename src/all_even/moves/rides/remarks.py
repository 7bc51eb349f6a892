"""What is to be said of a session's phrases and sections before anything is moved."""

import numpy as np

from all_even.dsp.parameter import number, time_text
from all_even.figures.book.look import Look
from all_even.figures.rides import rides
from all_even.figures.rides.rides import Riding
from all_even.figures.rides.sections_heard import heard_sections
from all_even.moves.rides.figures import leads
from all_even.moves.rides.phrases import CLEAR_DB
from all_even.session.model.remark import Remark
from all_even.session.model.strips import Lane

HIDDEN, LISTED = 0.75, 3
ALIKE_LU, ALIKE_DB = 1.0, 1.0
TOGETHER = 0.5
"""Two leads that sound together for this much of the shorter one."""


def remarks(look: Look) -> tuple[Remark, ...]:
    """All of them, the worst moments first."""
    found = leads(look)
    return (*_worst(found), *_bleed(found), *_two_at_once(look, found), *_sections(look))


def _worst(found: list[tuple[Lane, Riding]]) -> list[Remark]:
    """The units of a lead of which hardly anything is heard."""
    told = []
    for lane, line in found:
        lost = [int(unit) for unit in line.worst if line.hidden[unit] > HIDDEN]
        if lost:
            times = ", ".join(time_text(float(line.words.starts_s[unit])) for unit in sorted(lost[:LISTED]))
            more = f" and {len(lost) - LISTED} more" if len(lost) > LISTED else ""
            text = f"over {100.0 * HIDDEN:.0f} % of {lane.name} is masked at {times}{more}"
            told.append(Remark((lane.id,), "words-hidden", float(line.hidden.max()), text))
    return told


def _bleed(found: list[tuple[Lane, Riding]]) -> list[Remark]:
    told = []
    for lane, line in found:
        if line.clear_db is not None and line.clear_db < CLEAR_DB:
            text = f"others bleed into {lane.name}, {number(line.clear_db)} dB under its words: a ride moves them too"
            told.append(Remark((lane.id,), "rides-bleed", line.clear_db, text))
    return told


def _two_at_once(look: Look, found: list[tuple[Lane, Riding]]) -> list[Remark]:
    """Leads that sound at once: which steps back is the engineer's to say."""
    told = []
    frame_s = rides.levels(look).frame_s
    frames = rides.levels(look).power.shape[1]
    masks = {lane.id: _sounding(line, frames, frame_s) for lane, line in found}
    for index, (one, _) in enumerate(found):
        for other, _ in found[index + 1 :]:
            both = float((masks[one.id] & masks[other.id]).sum())
            share = both / max(1.0, min(float(masks[one.id].sum()), float(masks[other.id].sum())))
            if share > TOGETHER:
                text = f"{one.name} and {other.name} lead at once for {100.0 * share:.0f} %: say who steps back"
                told.append(Remark((one.id, other.id), "two-leads", share, text))
    return told


def _sounding(line: Riding, frames: int, frame_s: float) -> np.ndarray:
    mask = np.zeros(frames, dtype=bool)
    for start_s, end_s in zip(line.words.starts_s, line.words.ends_s, strict=True):
        mask[round(start_s / frame_s) : round(end_s / frame_s)] = True
    return mask


def _sections(look: Look) -> list[Remark]:
    """What differs between the loudest and the softest section, before anything is proposed."""
    heard = [item for item in heard_sections(look) if item.lufs is not None]
    if len(heard) < 2:
        return []
    loud = max(heard, key=lambda item: item.lufs or -99.0)
    soft = min(heard, key=lambda item: item.lufs or -99.0)
    apart = (loud.lufs or 0.0) - (soft.lufs or 0.0)
    wide = None if loud.width_db is None or soft.width_db is None else loud.width_db - soft.width_db
    width = "" if wide is None else f", {number(abs(wide))} dB {'wider' if wide >= 0.0 else 'narrower'}"
    text = (
        f"{loud.section.letter} is {number(apart)} LU louder than {soft.section.letter}{width}, {loud.playing} sources "
        f"instead of {soft.playing}"
    )
    alike = apart < ALIKE_LU and abs(wide or 0.0) < ALIKE_DB
    return [Remark((), "sections-alike" if alike else "sections", apart, text, aside=not alike)]
