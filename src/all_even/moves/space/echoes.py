"""Echoes in time: a return whose repeats come at note values, unlike left and right, thinner and darker each time.

The times are 60 000 / BPM times the notes' beats. Only what leads sends to it; its level is found like that of a room:
just missed when muted. A matter of taste.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import Parameter, number
from all_even.dsp.space.echo import NOTES, Echo, note_ms
from all_even.figures.book.look import Look
from all_even.figures.song import SONG
from all_even.figures.space import spaces
from all_even.measure.space import mono
from all_even.moves.buses.tracks import free_bus_name
from all_even.moves.kind import Kind, measured_later, name_of, per_strip, value_of
from all_even.moves.space import who
from all_even.moves.space.figures import COVERED, DEPENDS_ON
from all_even.moves.space.short_and_long import AIM, tried, with_return
from all_even.session.model import space
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

LEFT, RIGHT = "1/8 dotted", "1/4"
FEEDBACK = 25.0
OFF = Parameter("Off the beat", "%", -5.0, 5.0, 0.0, 0.5)
NAME = "Echo in time"


def station(tempo_bpm: float, off_percent: float = 0.0) -> Echo:
    """Both sides at their notes, so much later or earlier."""
    off = 1.0 + off_percent / 100.0
    return Echo(
        left_ms=round(note_ms(LEFT, tempo_bpm) * off, 1), right_ms=round(note_ms(RIGHT, tempo_bpm) * off, 1),
        feedback_percent=FEEDBACK,
    )  # fmt: skip


def propose(look: Look) -> list[Proposal]:
    session = look.session
    tempo = look.get(SONG).tempo
    if tempo is None or not 40.0 <= tempo.bpm <= 300.0:
        return []
    if any(isinstance(item, Echo) for bus in space.returns(session) for item in bus.chain):
        return []
    leads = [unit.id for unit in who.candidates(look) if who.leads(look, [unit.id])]
    found = _proposal(look, dict.fromkeys(leads, 0.0), tempo.bpm, 0.0, spaces.JUST_MISSED) if leads else None
    return [found] if found is not None else []


def _proposal(look: Look, sends: dict[str, float], bpm: float, off_percent: float, aim: float) -> Proposal | None:
    echo = station(bpm, off_percent)
    found = tried(look, (echo,), sends, aim)
    if found is None:
        return None
    sends, level_db, figures = dict(found[0]), found[1], found[2]
    session, bus = with_return(look.session, free_bus_name(look.session, "Trial"), (echo,), sends, level_db)
    sound = look.at(session).sound(bus)
    worst = mono.worst_db(sound.read(0, sound.frames).astype(float), session.sample_rate)
    name = free_bus_name(look.session, NAME)
    return KIND.move(
        targets=tuple(sends), title="Echoes in time behind the lead",
        reason=f"At {number(bpm)} BPM {LEFT} is {number(echo.left_ms, 0)} ms on the left and {RIGHT} is "
        f"{number(echo.right_ms, 0)} ms on the right; {number(FEEDBACK, 0)} % come again, thinner and darker. "
        f"Just audible when muted.{_mono(worst)} Optional.",
        parameters={"sends": sends, "level_db": level_db, "bpm": bpm, "off_percent": off_percent, "aim": aim,
                    "name": (name,)},
        evidence={"bpm": bpm, "left_ms": echo.left_ms, "right_ms": echo.right_ms, "worst_in_mono_db": worst,
                  "lead_hidden_percent": None if figures.lead_hidden is None else 100.0 * figures.lead_hidden},
        metric=COVERED, arguments={"bus": name}, expected=figures.covered, source="trial", weight=1.5,
    )  # fmt: skip


def _mono(worst: float | None) -> str:
    return "" if worst is None else f" In mono its worst third of an octave changes by {number(worst)} dB."


def _refit(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    sends, off = per_strip(proposal, "sends"), value_of(proposal, "off_percent")
    anew = _proposal(look, sends, value_of(proposal, "bpm"), off, value_of(proposal, "aim"))
    return proposal if anew is None else replace(anew, rests_on=proposal.rests_on)


def _edit(session: Session, proposal: Proposal) -> Session:
    echo = station(value_of(proposal, "bpm"), value_of(proposal, "off_percent"))
    sends, level_db = per_strip(proposal, "sends"), value_of(proposal, "level_db")
    return with_return(session, name_of(proposal), (echo,), sends, level_db)[0]


KIND = Kind(
    "space.echoes", DEPENDS_ON, propose, _edit, parameters={"off_percent": OFF, "aim": AIM}, refit=_refit,
    changed=measured_later, optional=True,
)  # fmt: skip
assert {LEFT, RIGHT} <= NOTES.keys()
