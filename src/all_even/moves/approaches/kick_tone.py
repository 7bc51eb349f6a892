"""The kick's tone: a bottom it lacks, drive without its lows, and its click both ways.

Bottom: a low shelf with a dip just above adds weight without mud (common practice); the place is the one that keeps the
kick most audible beside the bass. Drive: beside it, and
only what is over 150 Hz comes back, so that the low wave stays whole. Click:
lifted and softened are both offered, since which is wanted is a matter of taste.
"""

from collections.abc import Callable, Iterator

from all_even.dsp.parameter import LEVEL, Parameter, number, signed
from all_even.dsp.processor import Processor, numbers
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.dsp.tone.saturation import Saturation
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import Copies, copies
from all_even.figures.low_end.low_end import main_kick
from all_even.moves.approaches.figures import BAND, arriving
from all_even.moves.approaches.thicken import beside_db, into_bus
from all_even.moves.approaches.trial import Draft, Numbers, at_the_end, on_trial
from all_even.moves.buses.tracks import bus_named
from all_even.moves.kind import value_of
from all_even.moves.low_end import click
from all_even.moves.low_end.bottom import on_each
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

PLACES_HZ = (50.0, 56.0, 63.0, 71.0, 80.0)
LIFT_DB, DIP_SHARE, ABOVE = 3.0, 0.7, 2.6
"""The dip lies this many times higher, with this share of the lift."""
DRIVEN, LOWS_OUT_HZ, DRIVE_DB, UNDER_LU = "Kick driven", 150.0, 24.0, 8.0
LOUD_DB = -30.0
"""Under this a click is too soft to be in anybody's way."""
CLICK_DB = {"more": 3.0, "softer": -3.0}
LIFT = Parameter("Lift", "dB", 0.5, 9.0, LIFT_DB, 0.5)
SHELF = Parameter("Shelf", "Hz", 30.0, 150.0, 63.0, 3.0, 0, "log")


def bottom(p: Numbers) -> tuple[Processor, ...]:
    shelf = Band(shape="low shelf", frequency_hz=p["place_hz"], gain_db=p["amount_db"], q=0.7)
    dip = Band(frequency_hz=ABOVE * p["place_hz"], gain_db=-DIP_SHARE * p["amount_db"], q=1.0)
    return (Equaliser(bands=(shelf, dip)),)


def _audible(found: Copies, stations: tuple[Processor, ...]) -> float:
    after = found.tried(on_each(found.kicks, stations[0]))
    return after.focus.at_present if after.focus is not None else 1.0


def _bottom(look: Look) -> Iterator[Draft]:
    found = copies(look)
    if found is None or found.before.focus is None:
        return
    tried = {hz: _audible(found, bottom({"place_hz": hz, "amount_db": LIFT_DB})) for hz in PLACES_HZ}
    place_hz = max(tried, key=lambda hz: tried[hz])
    yield Draft(
        found.kicks, f"Bottom for the kick: {signed(LIFT_DB, 0)} dB under {number(place_hz, 0)} Hz, a dip above",
        f"Beside the bass the kick is then {number(100.0 * tried[place_hz], 0)} % audible, now "
        f"{number(100.0 * found.before.focus.at_present, 0)} %.",
        {"place_hz": place_hz, "amount_db": LIFT_DB}, arguments={"of": "kick", "low_hz": 25.0, "high_hz": 90.0},
        evidence={"audible_then": tried[place_hz], "audible": found.before.focus.at_present},
    )  # fmt: skip


def _driving(drive_db: float) -> tuple[Processor, ...]:
    return (Saturation(curve="uneven", drive_db=drive_db, low_cut_hz=0.0, output_db=min(24.0, 0.75 * drive_db)),
            HighPass(frequency_hz=LOWS_OUT_HZ, slope=24))  # fmt: skip


def _driven(session: Session, move: Proposal) -> Session:
    """Its lows driven on a bus of their own, of which only what is over them comes back."""
    return into_bus(
        session, tuple(move.targets), DRIVEN, value_of(move, "level_db"), _driving(value_of(move, "drive_db"))
    )


def _drive(look: Look) -> Iterator[Draft]:
    main = main_kick(look)
    if main is None or bus_named(look.session, DRIVEN) is not None:
        return
    level_db = beside_db(arriving(look, main[0].id), look.session.sample_rate, _driving(DRIVE_DB), UNDER_LU)
    if level_db is None:
        return
    yield Draft(
        (main[0].id,), f"Drive {main[0].name} beside it, the lows kept out",
        f"Driven on a parallel bus; only what is over {LOWS_OUT_HZ:.0f} Hz comes back, so the low wave stays whole. "
        "A small speaker then carries more of it. Colour, no repair.",
        {"drive_db": DRIVE_DB, "level_db": level_db},
        arguments={"of": "kick", "low_hz": 1.3 * LOWS_OUT_HZ, "high_hz": 3000.0},
    )  # fmt: skip


def click_band(p: Numbers) -> tuple[Processor, ...]:
    return (click.station(p["gain_db"]),)


def _click(way: str) -> Callable[[Look], Iterator[Draft]]:
    def drafts(look: Look) -> Iterator[Draft]:
        main = main_kick(look)
        now = click.click_db(look, {}) if main is not None else None
        if main is None or now is None or now <= click.DULL_DB:
            return
        gain_db = CLICK_DB[way]
        if gain_db < 0.0 and now < LOUD_DB:
            return
        yield Draft(
            (main[0].id,), f"{'More click for' if gain_db > 0.0 else 'Soften the click of'} {main[0].name}: "
            f"{signed(gain_db, 0)} dB around {click.PLACE_HZ / 1000.0:.1f} kHz",
            f"At 4 to 9 kHz it has {number(now)} dB of its lows. "
            + ("More seems stronger, so that it can go down." if gain_db > 0.0 else "Less leaves room for others."),
            {"gain_db": gain_db}, evidence={"click_db": now},
        )  # fmt: skip

    return drafts


BOTTOM = on_trial("low-end.kick-bottom", "kick_bottom", BAND, _bottom, at_the_end(bottom),
                  parameters={"place_hz": SHELF, "amount_db": LIFT}, weight=1.5)  # fmt: skip
DRIVE = on_trial("low-end.kick-drive", "kick_drive", BAND, _drive, _driven, weight=1.4, better=1,
                 parameters={"drive_db": numbers(Saturation)["drive_db"], "level_db": LEVEL})  # fmt: skip
CLICKS = tuple(
    on_trial(f"low-end.click-{way}", "kick_click", click.METRIC, _click(way), at_the_end(click_band),
             parameters={"gain_db": numbers(Band)["gain_db"]}, weight=1.1)
    for way in CLICK_DB
)  # fmt: skip
KINDS = (BOTTOM, DRIVE, *CLICKS)
