"""Second-order sections: design matched to the analogue prototype, and the cascade that runs them.

Poles are those of the analogue filter carried over by z = exp(sT); zeros are set so that the
magnitude agrees with the analogue one at three frequencies: 0, half the sample rate, and the
filter's own (M. Vicanek, "Matched Second Order Digital Filters", 2016; used here for shelves too).
Near half the sample rate the familiar bilinear design is squeezed; this one is not.

A section is five numbers (b0, b1, b2, a1, a2) with a0 = 1. Sections run as transposed direct form II
in double precision, stereo side by side.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.systolic import SHORTEST, WIDEST, run_together
from all_even.kernels import kernel

Array = NDArray[np.float64]

HIGHEST = 0.49
"""Frequencies are kept under this share of the sample rate."""


@kernel
def denominator(frequency, q):  # type: ignore[no-untyped-def]
    """a1, a2 of poles at `frequency` (cycles per sample) with quality q, by z = exp(sT)."""
    w = 2.0 * np.pi * frequency
    decay = np.exp(-w / (2.0 * q))
    if q > 0.5:
        a1 = -2.0 * decay * np.cos(w * np.sqrt(1.0 - 1.0 / (4.0 * q * q)))
    else:
        a1 = -2.0 * decay * np.cosh(w * np.sqrt(1.0 / (4.0 * q * q) - 1.0))
    return a1, decay * decay


@kernel
def squared(frequency, natural, q):  # type: ignore[no-untyped-def]
    """|s² + s·wn/q + wn²|² at s = jw; both frequencies in any one unit."""
    return (natural**2 - frequency**2) ** 2 + (natural * frequency / q) ** 2


@kernel
def matched(a1, a2, at_zero, at_half, at_own, frequency):  # type: ignore[no-untyped-def]
    """b0, b1, b2 for the given squared magnitudes at 0, half the rate, and `frequency`."""
    phi1 = np.sin(np.pi * frequency) ** 2
    phi0 = 1.0 - phi1
    phi2 = 4.0 * phi0 * phi1
    A0 = (1.0 + a1 + a2) ** 2
    A1 = (1.0 - a1 + a2) ** 2
    A2 = -4.0 * a2
    B0 = A0 * at_zero
    B1 = A1 * at_half
    B2 = ((A0 * phi0 + A1 * phi1 + A2 * phi2) * at_own - B0 * phi0 - B1 * phi1) / phi2
    root0, root1 = np.sqrt(B0), np.sqrt(B1)
    half_sum = 0.5 * (root0 + root1)
    b0 = 0.5 * (half_sum + np.sqrt(max(0.0, half_sum**2 + B2)))
    if b0 <= 0.0:
        return 0.0, 0.0, 0.0
    return b0, 0.5 * (root0 - root1), -B2 / (4.0 * b0)


@kernel
def inverse(b0, b1, b2, a1, a2, scale):  # type: ignore[no-untyped-def]
    """The section that undoes another (its zeros lie inside the unit circle), times `scale`."""
    return scale / b0, scale * a1 / b0, scale * a2 / b0, b1 / b0, b2 / b0


@kernel
def bell(frequency, gain_db, q):  # type: ignore[no-untyped-def]
    """Bell (cookbook prototype: s² + s·A/Q + 1 over s² + s/(A·Q) + 1). frequency: cycles per sample.

    A cut is the inverse of the same lift, so that both undo each other exactly.
    """
    f = min(HIGHEST, frequency)
    A = 10.0 ** (abs(gain_db) / 40.0)
    a1, a2 = denominator(f, q * A)
    half = squared(0.5, f, q / A) / squared(0.5, f, q * A)
    b0, b1, b2 = matched(a1, a2, 1.0, half, A**4, f)
    if gain_db >= 0.0:
        return b0, b1, b2, a1, a2
    return inverse(b0, b1, b2, a1, a2, 1.0)


@kernel
def low_shelf(frequency, gain_db, q):  # type: ignore[no-untyped-def]
    """Low shelf (cookbook prototype): full gain at 0, half of it in dB at `frequency`."""
    f = min(HIGHEST, frequency)
    A = 10.0 ** (abs(gain_db) / 40.0)
    root = np.sqrt(A)
    a1, a2 = denominator(f / root, q)
    half = squared(0.5, f * root, q) / squared(0.5, f / root, q)
    own = squared(f, f * root, q) / squared(f, f / root, q)
    b0, b1, b2 = matched(a1, a2, A**4, half, own, f)
    if gain_db >= 0.0:
        return b0, b1, b2, a1, a2
    return inverse(b0, b1, b2, a1, a2, 1.0)


@kernel
def high_shelf(frequency, gain_db, q):  # type: ignore[no-untyped-def]
    """High shelf (cookbook prototype): half of the gain in dB at `frequency`, all of it above.

    It is the opposite low shelf with everything lifted: so its poles stay low, where they are exact.
    """
    b0, b1, b2, a1, a2 = low_shelf(frequency, -gain_db, q)
    scale = 10.0 ** (gain_db / 20.0)
    return scale * b0, scale * b1, scale * b2, a1, a2


@kernel
def notch(frequency, q):  # type: ignore[no-untyped-def]
    """Notch: nothing left at `frequency`, nothing changed far from it."""
    f = min(HIGHEST, frequency)
    a1, a2 = denominator(f, q)
    turn = -2.0 * np.cos(2.0 * np.pi * f)
    g0 = (1.0 + a1 + a2) / (2.0 + turn)
    g1 = (1.0 - a1 + a2) / (2.0 - turn) * (0.25 - f * f) / np.sqrt(squared(0.5, f, q))
    g = g0 if f < 0.25 else g1
    return g, g * turn, g, a1, a2


@kernel
def low_pass(frequency, q):  # type: ignore[no-untyped-def]
    """Two poles of a low-pass."""
    f = min(HIGHEST, frequency)
    a1, a2 = denominator(f, q)
    half = f**4 / squared(0.5, f, q)
    b0, b1, b2 = matched(a1, a2, 1.0, half, q * q, f)
    return b0, b1, b2, a1, a2


@kernel
def high_pass(frequency, q):  # type: ignore[no-untyped-def]
    """Two poles and a double zero at 0 of a high-pass; the gain is set at `frequency`."""
    f = min(HIGHEST, frequency)
    a1, a2 = denominator(f, q)
    phi1 = np.sin(np.pi * f) ** 2
    phi0 = 1.0 - phi1
    own = (1.0 + a1 + a2) ** 2 * phi0 + (1.0 - a1 + a2) ** 2 * phi1 - 16.0 * a2 * phi0 * phi1
    g = q * np.sqrt(own) / (4.0 * phi1)
    return g, -2.0 * g, g, a1, a2


MIDDLE = 0.3
"""A third frequency (share of the sample rate) at which single poles are made to agree with the analogue."""


@kernel
def first_order(zero, pole, at_zero):  # type: ignore[no-untyped-def]
    """One pole and one zero (cycles per sample; zero 0 is a zero at 0, below 0 none), gain given at 0.

    Two digital zeros stand for the analogue one, so that the treble agrees as well.
    """
    p = min(HIGHEST, pole)
    a1 = -np.exp(-2.0 * np.pi * p)
    scale = (at_zero * pole) ** 2
    half = scale / (0.25 + pole * pole)
    own = scale / (MIDDLE * MIDDLE + pole * pole)
    if zero > 0.0:
        half *= (0.25 + zero * zero) / (zero * zero)
        own *= (MIDDLE * MIDDLE + zero * zero) / (zero * zero)
    b0, b1, b2 = matched(a1, 0.0, at_zero * at_zero, half, own, MIDDLE)
    return b0, b1, b2, a1, 0.0


@kernel
def low_pass_first(frequency):  # type: ignore[no-untyped-def]
    """One pole of a low-pass, -3 dB at `frequency`."""
    return first_order(-1.0, frequency, 1.0)


@kernel
def high_pass_first(frequency):  # type: ignore[no-untyped-def]
    """One pole of a high-pass; exact at `frequency`."""
    f = min(HIGHEST, frequency)
    a1 = -np.exp(-2.0 * np.pi * f)
    w = 2.0 * np.pi * f
    g = np.sqrt(0.5 * (1.0 + a1 * a1 + 2.0 * a1 * np.cos(w)) / (2.0 - 2.0 * np.cos(w)))
    return g, -g, 0.0, a1, 0.0


@kernel
def tilt(frequency, gain_db):  # type: ignore[no-untyped-def]
    """Tilt around `frequency`: -gain/2 far below, +gain/2 far above, one pole.

    Prototype H(s) = (s·A + w)/(s + w·A), magnitude 1 at the pivot w, A = 10^(gain/40).
    """
    A = 10.0 ** (-abs(gain_db) / 40.0)
    f = min(HIGHEST, frequency)
    b0, b1, b2, a1, a2 = first_order(f / A, f * A, 1.0 / A)
    if gain_db <= 0.0:
        return b0, b1, b2, a1, a2
    return inverse(b0, b1, b2, a1, a2, 1.0)


@kernel
def run_sections(block, sections, state):  # type: ignore[no-untyped-def]
    """A cascade over (frames, 1 or 2). sections: (count, 5). state: 4 numbers a section.

    Stereo sections run together, up to eight of them; mono, a single one and a few frames run in turn.
    """
    frames, channels = block.shape
    count = min(len(sections), len(state) // 4)
    k = 0
    while channels == 2 and frames >= SHORTEST and k + 1 < count:
        end = min(k + WIDEST, count)
        run_together(block, sections[k:end], state[4 * k : 4 * end])
        k = end
    while k < count:
        b0, b1, b2, a1, a2 = sections[k, 0], sections[k, 1], sections[k, 2], sections[k, 3], sections[k, 4]
        s = 4 * k
        l1, l2, r1, r2 = state[s], state[s + 1], state[s + 2], state[s + 3]
        for i in range(frames):
            x = block[i, 0]
            y = b0 * x + l1
            l1 = (b1 * x + l2) - a1 * y
            l2 = b2 * x - a2 * y
            block[i, 0] = y
            if channels == 2:
                z = block[i, 1]
                v = b0 * z + r1
                r1 = (b1 * z + r2) - a1 * v
                r2 = b2 * z - a2 * v
                block[i, 1] = v
        _keep(state, s, l1, l2, r1, r2)
        k += 1


@kernel
def _keep(state, place, a, b, c, d):  # type: ignore[no-untyped-def]
    """Writes a section's memory back; what is too small to matter becomes 0 and never a denormal."""
    state[place] = a if abs(a) > 1e-25 else 0.0
    state[place + 1] = b if abs(b) > 1e-25 else 0.0
    state[place + 2] = c if abs(c) > 1e-25 else 0.0
    state[place + 3] = d if abs(d) > 1e-25 else 0.0


@kernel
def clean(block):  # type: ignore[no-untyped-def]
    """Zero in place of what is no sample (NaN, infinity, 120 dB over full scale)."""
    flat = block.reshape(block.size)
    for i in range(len(flat)):
        x = flat[i]
        flat[i] = x if abs(x) < 1e6 else 0.0


def magnitude(sections: Array, frequencies_hz: Array, sample_rate: int) -> Array:
    """Linear magnitude of a cascade (count, 5) at some frequencies."""
    z = np.exp(-2j * np.pi * np.asarray(frequencies_hz) / sample_rate)
    result = np.ones(len(z), dtype=complex)
    for b0, b1, b2, a1, a2 in sections:
        result *= (b0 + z * (b1 + z * b2)) / (1.0 + z * (a1 + z * a2))
    return np.abs(result)
