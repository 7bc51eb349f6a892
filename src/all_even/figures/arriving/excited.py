"""What arrives of each source as the ear takes it, known again by what it rests on: states of a session have in common
what no edit between them touched, in time and in memory."""

from collections.abc import Mapping, Sequence

from all_even.figures.arriving import spectra
from all_even.figures.book.fingerprint import Fingerprint, digest
from all_even.figures.book.look import Look
from all_even.measure.sharing import masking
from all_even.measure.sharing.masking import Excitation

NAME = "what arrives of a source"


def excited(look: Look, sources: Mapping[str, Sequence[str]], every: int = 1) -> dict[str, Excitation]:
    """Of each source, by its id: the powers of its lanes added; those of which nothing arrives are left out.

    sources: the lanes of each. every: so manieth frame is taken.
    """
    spectra.hear(look)
    rests_on = spectra.rests_on(look)
    keys = {
        source: digest((NAME, every, [rests_on[lane_id] for lane_id in lanes if lane_id in rests_on]))
        for source, lanes in sources.items() if any(lane_id in rests_on for lane_id in lanes)
    }  # fmt: skip
    pages, found = look.book.pages, dict[Fingerprint, Excitation]()
    for key in keys.values():
        known = pages.shared.get(key)
        if known is not None:
            found[key] = known
    new = {source: key for source, key in keys.items() if key not in found}
    powers = spectra.arriving_powers(look, lanes={one for source in new for one in sources[source]}) if new else {}
    for source, key in new.items():
        parts = [powers[lane_id][::every] for lane_id in sources[source] if lane_id in powers]
        found[key] = pages.shared.setdefault(
            key, masking.excitation_of_power(spectra.added(parts), look.session.sample_rate)
        )
    return {source: found[key] for source, key in keys.items()}
