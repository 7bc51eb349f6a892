"""Punch: groups of drums and the mix compressed so that their hits stand 2 to 4 dB further out.

The attack is slow, so that a hit passes before the gain goes down; the ratio higher than for glue; the release back
before the next hit. Which threshold does it is found from the top down on the loudest 12 s, judged by the peaks of the
hits at equal loudness. Pumping comes along with it and is told; only a gain that moves with the wave is refused.
"""

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import number, signed
from all_even.dsp.processor import numbers
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import part
from all_even.measure.dynamics import punch
from all_even.measure.dynamics.movement import Part
from all_even.moves.approaches.trial import Draft, on_trial
from all_even.moves.dynamics import effects, gentle, glue
from all_even.moves.dynamics.figures import movement_of
from all_even.moves.dynamics.trying import Tried, matched
from all_even.moves.kind import numbers_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

WANTED_DB, LEAST_DB = 2.0, 1.0
RATIOS, ATTACKS_MS = (4.0, 6.0), (10.0, 20.0, 30.0)
SHARE_OF_BEAT = 0.2
"""Of the time from hit to hit, as release: after four times that 98 % are back."""
UNDER_DB = tuple(range(6, 31, 3))
"""Thresholds under the peak, from the top down: the figure does not rise steadily."""
SHORTEST_MS, LONGEST_MS = 40.0, 200.0


def release_ms(hits_s: tuple[float, ...]) -> float:
    """Back before the next hit."""
    between = 1000.0 * float(np.median(np.diff(hits_s))) if len(hits_s) > 1 else 500.0
    return round(min(LONGEST_MS, max(SHORTEST_MS, SHARE_OF_BEAT * between)))


def fitted(found: Part) -> Tried | None:
    """The compressor whose hits stand out by what is wanted, or the most that is borne; None where there is none."""
    short = gentle.stretch(found)
    if len(short.hits_s) < punch.FEWEST:
        return None
    before = punch.hit_peaks_db(short.signal.louder_side, short.signal.sample_rate, short.hits_s)
    plain = Compressor(knee_db=6.0, release_ms=release_ms(found.hits_s),
                       key_high_pass_hz=gentle.KEY_HZ if found.is_sum else 0.0)  # fmt: skip

    def out_db(station: Compressor) -> float:
        return gentle.hit_peaks_db(short, station) - before

    def at(ratio: float, attack_ms: float, under_db: float) -> Compressor:
        threshold_db = round(short.signal.peak_dbfs - under_db, 1)
        return replace(plain, ratio=ratio, attack_ms=attack_ms, threshold_db=threshold_db)

    best: tuple[float, Compressor] | None = None
    for ratio in RATIOS:
        for attack_ms in ATTACKS_MS:
            deepest = at(ratio, attack_ms, UNDER_DB[-1])
            reached = out_db(deepest), deepest
            for under_db in UNDER_DB[:-1] if reached[0] >= WANTED_DB else ():
                tried = at(ratio, attack_ms, under_db)
                if (out := out_db(tried)) >= WANTED_DB:
                    reached = out, tried
                    break
            best = reached if best is None or reached[0] > best[0] else best
            if reached[0] >= WANTED_DB and not (made := matched(found, [reached[1]])).movement.side.shakes:
                return made
    if best is None or best[0] < LEAST_DB:
        return None
    made = matched(found, [best[1]])
    return None if made.movement.side.shakes else made


def _drafts(look: Look) -> Iterator[Draft]:
    for strip_id, name in glue.candidates(look):
        look.stop_if_cancelled()
        found = part(look, strip_id)
        tried = fitted(found) if found is not None else None
        if found is None or tried is None:
            continue
        station, now = tried.stations[0], tried.movement
        assert isinstance(station, Compressor)
        out = (now.punch_now_db or 0.0) - (now.punch_before_db or 0.0)
        if out < LEAST_DB:
            continue
        yield Draft(
            (strip_id,), f"Punch for {name}: its hits {number(out)} dB further out",
            f"{number(station.ratio, 0)}:1 from {number(station.threshold_db)} dB on, {number(station.attack_ms, 0)} "
            f"ms attack lets the hits pass, {number(station.release_ms, 0)} ms release, {signed(station.makeup_db, 1)} "
            f"dB make-up.{effects.told(now.side)}",
            {"threshold_db": station.threshold_db, "ratio": station.ratio, "attack_ms": station.attack_ms,
             "release_ms": station.release_ms, "makeup_db": station.makeup_db, "key_hz": station.key_high_pass_hz},
            of=strip_id, arguments={"strip": strip_id}, evidence=effects.evidence(now.side),
        )  # fmt: skip


def _edit(session: Session, move: Proposal) -> Session:
    p = numbers_of(move)
    station = Compressor(
        threshold_db=p["threshold_db"], ratio=p["ratio"], knee_db=6.0, attack_ms=p["attack_ms"],
        release_ms=p["release_ms"], makeup_db=p["makeup_db"], key_high_pass_hz=p["key_hz"],
    )  # fmt: skip
    return glue.placed(session, move.targets[0], station)


def _out(look: Look, arguments: Arguments) -> float | None:
    """By how much a sum's dynamics bring the peaks of its hits out, at equal loudness, dB."""
    found = movement_of(look, arguments)
    if found is None or not found.moved or found.punch_now_db is None or found.punch_before_db is None:
        return None
    return found.punch_now_db - found.punch_before_db


OUT = Metric("hits-out", "hits further out, at equal loudness", "dB", 1, 0.5, ("strips", "mix", "files"), _out)
KIND = on_trial(
    "dynamics.punch", "punch", OUT, _drafts, _edit, weight=1.5, afterwards=True, before=0.0,
    parameters={"threshold_db": numbers(Compressor)["threshold_db"]},
)  # fmt: skip
