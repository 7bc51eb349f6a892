"""What is to be said before the mix leaves: faults heard elsewhere, what vanishes, what lies outside the references."""

import numpy as np

from all_even.dsp.parameter import number, signed, time_text
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.references import Beside, beside
from all_even.figures.elsewhere.translation import translation
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.measure.level import zones
from all_even.measure.sharing.translation import VANISHES
from all_even.moves.check.figures import BELONGS
from all_even.session.model.remark import Remark
from all_even.session.tracks.importance import weight_of

LISTED = 4
LOUDER_LU = 1.0
MOST_EQ_DB = 3.0


def remarks(look: Look) -> tuple[Remark, ...]:
    """Faults first: they were heard."""
    return (*_faults(look), *_low_end(look), *_vanishing(look), *_beside(beside(look)))


def _low_end(look: Look) -> list[Remark]:
    """Where kick or bass masks the other still, in the words of Low end."""
    said = verdict(look)
    if said is None or not (said.kick_is_masked or said.bass_is_masked):
        return []
    return [Remark((), "low-end", 100.0 * said.kick_audible, f"{said.sentence()} (Low end)")]


def _faults(look: Look) -> list[Remark]:
    found = [note for note in look.session.notes if note.is_open]
    if not found:
        return []
    first = found[0]
    more = f"; and {len(found) - 1} more (Notes)" if len(found) > 1 else ""
    text = f"heard on {first.heard_on} at {time_text(first.position_s)}: {first.text}{more}"
    return [Remark((), "heard-elsewhere", float(len(found)), text)]


def _vanishing(look: Look) -> list[Remark]:
    """By system: what has to be there and is not."""
    found, told = translation(look), []
    for column, key in enumerate(systems.KEYS):
        lost = [
            unit for place, unit in enumerate(found.units)
            if found.left[place, column] <= VANISHES and any(weight_of(lane) in BELONGS for lane in unit.lanes)
        ]  # fmt: skip
        if lost:
            names = ", ".join(unit.name for unit in lost[:LISTED])
            more = f" and {len(lost) - LISTED} more" if len(lost) > LISTED else ""
            where = systems.system(key).name.lower()
            lanes = tuple(unit.id for unit in lost)
            size = float(np.nanmin(found.left[[found.units.index(unit) for unit in lost], column]))
            told.append(Remark(lanes, "vanishes", size, f"vanishes on {where}: {names}{more}"))
    return told


def _beside(found: Beside) -> list[Remark]:
    told = []
    count = len(found.references)
    for index, off in found.flags:
        level, band = found.mix.zones_db[index] if found.mix is not None else None, found.bands[index]
        if level is None or band is None:
            continue
        side = "more" if off > 0.0 else "less"
        text = (
            f"{zones.NAMES[index]}: {number(abs(off))} dB {side} than all {count} references at equal loudness. "
            f"Listen; if anything, to the band's edge and by {number(min(abs(off), MOST_EQ_DB))} dB at most"
        )
        told.append(Remark((), "outside-references", off, text))
    rough = next((item for item in found.others if item.listed.use == "rough mix" and item.passage is not None), None)
    if rough is not None and rough.passage is not None and found.mix is not None:
        apart = found.mix.integrated_lufs - rough.passage.integrated_lufs
        if abs(apart) >= LOUDER_LU:
            word = "louder" if apart > 0.0 else "softer"
            text = f"{number(abs(apart))} LU {word} than the rough mix: compare blind, at the same loudness"
            told.append(Remark((), "against-rough", apart, text))
        low, was = found.mix.low_share_db, rough.passage.low_share_db
        if low is not None and was is not None and abs(low - was) >= LOUDER_LU:
            text = f"low share {signed(low - was)} dB against the rough mix, at equal loudness"
            told.append(Remark((), "low-against-rough", low - was, text, aside=True))
    return told
