"""Pocket: the bass's home, above the kick's, made room for from either side.

Where the kick has the bottom, the bass is lifted where it is clear of the kick, up to 6 dB; its place is found by
trial between 80 and 250 Hz, not fixed. From the other side the kick is cut there, broad: always, or by its own level
(its loud hits alone; tried, that pays where the kick's microphone hears the bass). Each is judged on the net scale:
what it is worth beside a fader.
"""

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.parameter import Parameter, number, signed
from all_even.dsp.processor import Processor, Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import Copies, copies
from all_even.figures.low_end.low_end import pair
from all_even.measure.dynamics.signal import signal_of
from all_even.moves.approaches.trial import Draft, Numbers, at_the_end, on_trial
from all_even.moves.kind import numbers_of
from all_even.moves.low_end.bass.harmonics import basses_heard
from all_even.moves.low_end.bottom import ROOM, beside_a_fader
from all_even.moves.low_end.clearing.dynamic_clearing import threshold_db
from all_even.session.model.ledger import Parameters, Proposal
from all_even.session.model.session import Session

PLACES_HZ = tuple(round(80.0 * 2.0 ** (step / 6.0)) for step in range(11))
"""80 to 254 Hz in sixths of an octave."""
LIFTS_DB, CUTS_DB = (2.0, 3.0, 4.5, 6.0), (-2.0, -3.0, -4.5, -6.0)
Q = 0.7
TRIED_DB = 3.0
ON_BASS_TITLE = "Pocket: bass {amount} dB around {place} Hz"
ON_KICK_TITLE = "Pocket: kick {amount} dB around {place} Hz, broad"
BY_LEVEL_TITLE = "Pocket: kick up to {amount} dB around {place} Hz, by its own level"
NETS = "nets_db"
"""The parameter that holds what 3 dB are worth place by place, for the drawing on the card."""
PLACE = Parameter("Place", "Hz", 60.0, 300.0, 145.0, 3.0, 0, "log")
LIFT = Parameter("Lift", "dB", 0.5, 9.0, 3.0, 0.5)
CUT = Parameter("Cut", "dB", -9.0, -0.5, -3.0, 0.5)
RATIO, ATTACK_MS, RELEASE_MS = 3.0, 1.0, 80.0


def bell(p: Numbers) -> tuple[Processor, ...]:
    band = Band(frequency_hz=p["place_hz"], gain_db=p["amount_db"], q=Q)
    return (Equaliser(bands=(band,), output_db=p.get("output_db", 0.0)),)


def _as_loud(look: Look, p: Numbers) -> dict[str, float]:
    """With the output at which the basses are as loud as before."""
    bass, rate = basses_heard(look), look.session.sample_rate
    if bass is None:
        return {**p, "output_db": 0.0}
    plain = bell({**p, "output_db": 0.0})[0]
    before, after = (signal_of(sound.astype(np.float32), rate).lufs for sound in (bass, Single(plain, rate)(bass)))
    return {**p, "output_db": 0.0 if before is None or after is None else round(before - after, 1)}


def _settled(look: Look, move: Proposal) -> Proposal:
    return replace(move, parameters={**move.parameters, **_as_loud(look, numbers_of(move))})


def by_its_level(p: Numbers) -> tuple[Processor, ...]:
    """A band that goes down by the kick's own level in it."""
    band = DynamicBand(
        frequency_hz=p["place_hz"], q=Q, threshold_db=p["threshold_db"], range_db=p["amount_db"], ratio=RATIO,
        attack_ms=ATTACK_MS, release_ms=RELEASE_MS,
    )  # fmt: skip
    return (DynamicEqualiser(bands=(band,)),)


def _best(
    found: Copies,
    lanes: Sequence[str],
    amounts_db: Sequence[float],
    first_db: float,
    made: Callable[[Numbers], Sequence[Processor]],
) -> tuple[dict[str, float], dict[str, float]]:
    """The place at which what is made is worth most beside a fader, with the amount that is worth most there; and what
    3 dB are worth at each place, by its Hz."""

    def net(place_hz: float, amount_db: float) -> float:
        p = {"place_hz": place_hz, "amount_db": amount_db, "threshold_db": threshold_db(found, place_hz, Q)}
        return found.net_db(found.tried(dict.fromkeys(lanes, tuple(made(p))))) or 0.0

    nets = {hz: net(hz, first_db) for hz in PLACES_HZ}
    place_hz = max(nets, key=lambda hz: nets[hz])
    best = {"place_hz": float(place_hz), "amount_db": max(amounts_db, key=lambda db: net(place_hz, db))}
    return best, {f"{hz}": value for hz, value in nets.items()}


def _draft(found: Copies, lanes: Sequence[str], stations: Sequence[Processor], p: Numbers, nets: Numbers, title: str,
           why: str) -> Draft:  # fmt: skip
    after = found.tried(dict.fromkeys(lanes, tuple(stations)))
    return Draft(lanes, _titled(title, p), f"{why} {beside_a_fader(found.before, after)}", {**p, NETS: dict(nets)},
                 evidence={"net_db": found.net_db(after)}, gentler=_gentler(p["amount_db"]))  # fmt: skip


def _gentler(amount_db: float) -> tuple[Parameters, ...]:
    """Smaller amounts, the larger first."""
    steps = CUTS_DB if amount_db < 0.0 else LIFTS_DB
    return tuple({"amount_db": step} for step in sorted(steps, key=abs, reverse=True) if abs(step) < abs(amount_db))


def _on_bass(look: Look) -> Iterator[Draft]:
    found = _pair_of(look)
    if found is not None:
        best, nets = _best(found, found.basses, LIFTS_DB, TRIED_DB, bell)
        p = _as_loud(look, best)
        yield _draft(found, found.basses, bell(p), p, nets, ON_BASS_TITLE,
                     "There the bass is clear of the kick; as loud as before.")  # fmt: skip


def _on_kick(look: Look) -> Iterator[Draft]:
    found = _pair_of(look)
    if found is not None:
        p, nets = _best(found, found.kicks, CUTS_DB, -TRIED_DB, bell)
        yield _draft(found, found.kicks, bell(p), p, nets, ON_KICK_TITLE,
                     "The bass’s home: the kick makes room there.")  # fmt: skip


def _kick_by_level(look: Look) -> Iterator[Draft]:
    found = _pair_of(look)
    if found is not None:
        best, nets = _best(found, found.kicks, CUTS_DB, -TRIED_DB, by_its_level)
        p = {**best, "threshold_db": threshold_db(found, best["place_hz"], Q)}
        yield _draft(found, found.kicks, by_its_level(p), p, nets, BY_LEVEL_TITLE,
                     "Soft hits keep it, loud ones make room for the bass.")  # fmt: skip


def _pair_of(look: Look) -> Copies | None:
    """What can be tried on kick and bass, where both are there."""
    return copies(look) if pair(look) is not None else None


def _titled(title: str, p: Numbers) -> str:
    return title.format(amount=signed(p["amount_db"]), place=number(p["place_hz"], 0))


def _again(title: str) -> Callable[[Session, Proposal], str]:
    return lambda _session, move: _titled(title, numbers_of(move))


ON_BASS = on_trial(
    "low-end.pocket-bass", "pocket", ROOM, _on_bass, at_the_end(bell),
    parameters={"place_hz": PLACE, "amount_db": LIFT}, title=_again(ON_BASS_TITLE), weight=3.2, better=1,
    settled=_settled,
)  # fmt: skip
ON_KICK, BY_LEVEL = (
    on_trial(kind_id, "pocket", ROOM, drafts, at_the_end(made), parameters={"place_hz": PLACE, "amount_db": CUT},
             title=_again(title), weight=weight, better=1)
    for kind_id, drafts, made, title, weight in (
        ("low-end.pocket-kick", _on_kick, bell, ON_KICK_TITLE, 3.1),
        ("low-end.pocket-by-level", _kick_by_level, by_its_level, BY_LEVEL_TITLE, 3.0),
    )
)  # fmt: skip
KINDS = (ON_BASS, ON_KICK, BY_LEVEL)
