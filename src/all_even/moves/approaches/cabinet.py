"""A cabinet behind some drive, for what was recorded without a loudspeaker: direct bass, guitars, keys.

Drive goes first, so that the box rounds what the curve makes: without it a driven direct sound fizzes. Offered for
tracks whose name or role says that they are direct, and for electric guitars and basses with sound over 6 kHz that no
cabinet would pass.
"""

from collections.abc import Iterator

from all_even.dsp.parameter import number, signed
from all_even.dsp.processor import numbers
from all_even.dsp.tone.cabinet import BOXES, Cabinet
from all_even.dsp.tone.saturation import Saturation
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import strip_signal
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.moves.approaches.figures import BAND, band_of_all_db
from all_even.moves.approaches.single_track import loud_as
from all_even.moves.approaches.trial import Draft, added, on_trial
from all_even.moves.dynamics.trying import through
from all_even.moves.kind import text_of, value_of
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

BOX_OF = {"bass": "bass", "guitars": "closed back", "keys": "open back"}
DIRECT = frozenset({"bass DI", "electric guitar", "synth bass", "bass", "electric piano", "organ"})
FIZZ_HZ, FIZZ_DB = (6000.0, 20000.0), -55.0
"""Over so much up there no cabinet would pass it."""
DRIVE_OVER_DB = 3.0


def _is_direct(lane: Lane) -> bool:
    return lane.role in DIRECT and not any(isinstance(item, Cabinet) for item in lane.chain)


def _drafts(look: Look) -> Iterator[Draft]:
    session, rate = look.session, look.session.sample_rate
    for lane in session.lanes:
        if lane.hidden or not _is_direct(lane) or not routing.is_sounding(session, lane):
            continue
        look.stop_if_cancelled()
        signal = strip_signal(look, session, lane.id)
        fizz = band_of_all_db(signal.samples, rate, FIZZ_HZ[0], min(FIZZ_HZ[1], 0.5 * rate))
        if signal.lufs is None or fizz is None or (lane.role != "bass DI" and fizz < FIZZ_DB):
            continue
        drive, box = _drive(signal), BOX_OF.get(family_of(lane.role), "closed back")
        yield Draft(
            (lane.id,), f"A cabinet for {lane.name}: {box}",
            f"Over {FIZZ_HZ[0] / 1000.0:.0f} kHz it has {number(fizz)} dB of its sound, which no loudspeaker would "
            f"pass: it sounds direct. {signed(drive.drive_db, 1)} dB of drive first, as loud as before.",
            {"drive_db": drive.drive_db, "output_db": _output_db(signal, drive, box), "box": box}, of=lane.id,
            arguments={"of": lane.id, "low_hz": FIZZ_HZ[0], "high_hz": FIZZ_HZ[1]},
        )  # fmt: skip


def _drive(signal: Signal) -> Saturation:
    level = signal.peak_dbfs
    return Saturation(curve="uneven", drive_db=numbers(Saturation)["drive_db"].clamped(round(DRIVE_OVER_DB - level, 1)))


def _output_db(signal: Signal, drive: Saturation, box: str) -> float:
    """The drive's output at which drive and box together are as loud as the sound was."""
    boxed = signal_of(through(signal, (drive, Cabinet(box=box)))[0].samples, signal.sample_rate)  # type: ignore[arg-type]
    if boxed.lufs is None or signal.lufs is None:
        return loud_as(signal, signal, drive).output_db
    return numbers(Saturation)["output_db"].clamped(round(signal.lufs - boxed.lufs, 1))


def _edit(session: Session, move: Proposal) -> Session:
    box = text_of(move, "box")
    drive = Saturation(curve="uneven", drive_db=value_of(move, "drive_db"), output_db=value_of(move, "output_db"))
    return added(session, move.targets, (drive, Cabinet(box=box if box in BOXES else "closed back")))  # type: ignore[arg-type]


KIND = on_trial("dynamics.cabinet", "cabinet", BAND, _drafts, _edit,
                parameters={"drive_db": numbers(Saturation)["drive_db"]}, weight=1.2)  # fmt: skip
