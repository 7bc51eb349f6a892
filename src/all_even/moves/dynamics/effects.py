"""Side effects in words and figures: they stand beside every move of dynamics, flagged ones first."""

from all_even.dsp.parameter import number, signed
from all_even.measure.dynamics.side_effects import SideEffects
from all_even.session.model.ledger import Evidence


def evidence(side: SideEffects) -> Evidence:
    """As figures of a card."""
    return {
        "pump_db": side.pump_db, "attack_change_db": side.attack_change_db,
        "treble_change_db": side.treble_change_db, "noise_rise_db": side.noise_rise_db,
        "ripple_db": side.ripple_db, "contour": side.contour, "louder_lu": side.louder_lu,
    }  # fmt: skip


def flags(side: SideEffects) -> list[str]:
    """What a strip's dynamics do beyond their limits, in words."""
    told = []
    if side.pumps and side.pump_db is not None:
        told.append(f"pump by {number(side.pump_db)} dB")
    if side.dulls and side.attack_change_db is not None:
        told.append(f"take {number(-side.attack_change_db)} dB from the attacks")
    if side.darkens and side.treble_change_db is not None:
        told.append(f"take {number(-side.treble_change_db)} dB of treble from the hits")
    if side.lifts_noise and side.noise_rise_db is not None:
        told.append(f"bring breaths and noise up by {number(side.noise_rise_db)} dB")
    if side.shakes and side.ripple_db is not None:
        told.append(f"shake with the wave ({number(side.ripple_db, 0)} dB)")
    if side.flattens and side.contour is not None:
        told.append(f"leave {number(100.0 * side.contour, 0)} % of the phrases' own dynamics")
    return told


def told(side: SideEffects, *, attacks: bool = True, loudness: bool = True) -> str:
    """A sentence; empty where nothing comes along. attacks, loudness: whether a change of them is told too."""
    found: list[tuple[bool, str]] = []
    if side.contour is not None:
        words = f"phrases keep {number(100.0 * side.contour, 0)} % of their differences"
        found.append((side.flattens, words + (", artistic dynamics go" if side.flattens else "")))
    if side.noise_rise_db is not None and side.noise_rise_db >= 0.5:
        found.append((side.lifts_noise, f"breaths and noise come up by {number(side.noise_rise_db)} dB"))
    if attacks and side.attack_change_db is not None and side.attack_change_db <= -0.3:
        found.append((side.dulls, f"attacks lose {number(-side.attack_change_db)} dB"))
    if attacks and side.treble_change_db is not None and side.treble_change_db <= -0.3:
        found.append((side.darkens, f"hits lose {number(-side.treble_change_db)} dB of treble"))
    if side.pump_db is not None and side.pump_db >= 0.3:
        found.append((side.pumps, f"pumping on sustained notes {number(side.pump_db)} dB"))
    if side.ripple_db is not None:
        words = f"the gain shakes with the wave, {number(side.ripple_db, 0)} dB" if side.shakes else ""
        found.append((side.shakes, words))
    if loudness and side.unmatched and side.louder_lu is not None:
        found.append((True, f"it is {signed(side.louder_lu, 1)} LU against before"))
    words = "; ".join(text for _, text in sorted(found, key=lambda item: not item[0]) if text)
    return f" Comes along: {words}." if words else ""
