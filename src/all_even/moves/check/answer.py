"""What Check and Print answer where they propose nothing."""

import numpy as np

from all_even.dsp.parameter import decibel_text, number
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import translation
from all_even.moves.answer import Answer, cant_judge, nothing_needed
from all_even.moves.check.figures import BELONGS
from all_even.session.tracks.importance import weight_of


def answer(look: Look) -> Answer:
    found = translation(look)
    places = [place for place, unit in enumerate(found.units) if any(weight_of(lane) in BELONGS for lane in unit.lanes)]
    if not places or not np.isfinite(found.left[places]).any():
        return cant_judge(
            "no track that is heard has the priority of a lead or a main part, so nothing has to be there everywhere"
        )
    worst = np.where(np.isfinite(found.left[places]), found.left[places], np.inf)
    place, column = np.unravel_index(int(np.argmin(worst)), worst.shape)
    name, where = found.units[places[place]].name, systems.system(systems.KEYS[column]).name.lower()
    return nothing_needed(f"What changes most is {name} on {where}: {number(float(worst[place, column]))} dB")


def answer_print(look: Look) -> Answer:
    mix = look.mix
    if mix is None or mix.sample_peak_dbfs is None:
        return cant_judge("the mix is silent, or not measured yet")
    loud = "" if mix.integrated_lufs is None else f" at {number(mix.integrated_lufs)} LUFS"
    return nothing_needed(f"The mix peaks at {decibel_text(mix.true_peak_dbtp, 'dBTP')}{loud}")
