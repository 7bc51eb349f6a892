"""The witness: how much of each source is masked, worked out in another way than the figure moves are fitted on.

Behind gammatone filters (`gammatone`), and as partial loudness instead of a threshold: what a source adds to the
loudness of the whole, `(E + M + Q)^a - (M + Q)^a`, against its loudness alone, `(E + Q)^a - Q^a`; a = 0.2 (Moore,
Glasberg and Baer 1997, from memory). M are all others and the rooms, and what of them goes on in the ear: it falls by
60 dB in 200 ms, about what forward masking does (from memory, after Zwicker and Fastl). Q lies 70 dB under the mix.
Masked is what is missing, 0 to 1, over all its bands and frames together, so that loud ones count most.

An index like the first one; only the two together say something, and where they disagree on a whole that is said.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.measure.sharing import hearing
from all_even.measure.whole import gammatone

EXPONENT = 0.2
QUIET_DB = -70.0
FALLS_DB_PER_S = 300.0
LASTS = 4
"""So many frames."""
Array = NDArray[np.float64]
Powers = NDArray[np.float32]


def masked(sources: Sequence[Powers], rooms: Powers | None, sample_rate: int) -> Array:
    """(sources,) masked part of each, 0 to 1; NaN where it never sounds. sources, rooms: (frames, bands) at the mix."""
    found = np.full(len(sources), np.nan)
    if not sources:
        return found
    weight = hearing.a_weighting(gammatone.centres_hz()).astype(np.float32)
    total = np.zeros((max(map(len, sources)), len(weight)), dtype=np.float32)
    for part in (*sources, *([] if rooms is None else [rooms])):
        count = min(len(part), len(total))
        total[:count] += part[:count] * weight
    loud = np.percentile(total.sum(axis=1), 95)
    if loud <= 0.0:
        return found
    quiet = np.float32(loud * 10.0 ** (QUIET_DB / 10.0))
    fall = 10.0 ** (-FALLS_DB_PER_S / 10.0 * gammatone.hop_frames(sample_rate) / sample_rate)
    unheard = float(np.power(np.full(16, quiet), EXPONENT)[0])  # as exactly as many at once are
    falls = np.cumprod(np.full(LASTS, fall, dtype=np.float32))
    for index, part in enumerate(sources):
        terms = np.empty((3, *part.shape), dtype=np.float32)
        _terms(np.ascontiguousarray(part), weight, total, quiet, falls, terms)
        np.power(terms, EXPONENT, out=terms)
        alone, among, others = terms.reshape(3, -1).sum(axis=1, dtype=np.float64)
        whole = float(alone) - part.size * unheard
        if part.any() and whole > 0.0:
            found[index] = 1.0 - float(among - others) / whole
    return found


@kernel
def _terms(part, weight, total, quiet, falls, terms):  # type: ignore[no-untyped-def]
    """Of each frame and band, what is raised to a power: the source alone, the source among the others, the others;
    each with what is not heard. Others fall at the fastest as `falls` says, a few frames back are all that count."""
    frames, bands = part.shape
    nothing = np.float32(0.0)
    for t in range(frames):
        for band in range(bands):
            own = part[t, band] * weight[band]
            terms[0, t, band] = own + quiet
            terms[2, t, band] = max(total[t, band] - own, nothing)
    for t in range(frames - 1, -1, -1):
        for back in range(1, min(t, len(falls)) + 1):
            fall = falls[back - 1]
            for band in range(bands):
                terms[2, t, band] = max(terms[2, t, band], terms[2, t - back, band] * fall)
        for band in range(bands):
            terms[2, t, band] += quiet
            terms[1, t, band] = part[t, band] * weight[band] + terms[2, t, band]
