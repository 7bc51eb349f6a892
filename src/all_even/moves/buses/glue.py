"""Glue: gentle compression of the whole mix, so little that the display is almost still."""

from msgspec.structs import replace

from all_even.dsp.compressor import Compressor
from all_even.dsp.parameter import number
from all_even.dsp.processor import numbers
from all_even.engine.figures.look import Look
from all_even.moves.buses.finding import LOUD_GAIN, find_threshold, in_loud_passages
from all_even.moves.kind import Kind
from all_even.session import chain_edits
from all_even.session.model import MIX, Proposal, Session

START_DB = -18.0


def propose(look: Look) -> list[Proposal]:
    mix, glue_db = look.mix, look.session.settings.glue_db
    if look.session.mix.chain or mix is None or mix.integrated_lufs is None:
        return []
    return [
        Proposal(
            id=KIND.id,
            kind=KIND.id,
            stage="buses",
            targets=(MIX,),
            title="Gentle compression that holds the mix together",
            reason="2:1, an attack of 30 ms so that hits pass, release by programme, no make-up, both sides linked, "
            "the detector high-passed at 100 Hz so that the bass does not drive it. Threshold found so that "
            f"{number(glue_db)} dB come off in loud passages. Judge it level-matched, and look at what it moves: "
            "none is a good answer too.",
            evidence={"mix_lufs": round(mix.integrated_lufs, 1), "aim_db": glue_db},
            metric=LOUD_GAIN.id,
            arguments={"strip": MIX, "station": "Compressor"},
            before=0.0,
            expected=-glue_db,
            tolerance=LOUD_GAIN.tolerance,
            source="trial",
            weight=3.0,
        )
    ]


def prepare(look: Look, proposal: Proposal) -> Proposal:
    found = find_threshold(
        _station, look.loudest(MIX), look.session.sample_rate, look.session.settings.glue_db, in_loud_passages
    )
    return replace(
        proposal,
        parameters={"threshold_db": THRESHOLD.clamped(found)},
        evidence={**proposal.evidence, "threshold_db": round(found, 1)},
    )


def edit(session: Session, proposal: Proposal) -> Session:
    threshold_db = float(proposal.parameters.get("threshold_db", START_DB))  # type: ignore[arg-type]
    return chain_edits.add_station(session, MIX, _station(threshold_db))


def _station(threshold_db: float) -> Compressor:
    return Compressor(
        threshold_db=threshold_db, ratio=2.0, knee_db=6.0, attack_ms=30.0, release_ms=120.0, programme_release=True,
        key_high_pass_hz=100.0,
    )  # fmt: skip


THRESHOLD = numbers(Compressor)["threshold_db"]
KIND = Kind(
    "buses.glue", ("mix", "chains", "settings"), propose, edit, prepare,
    parameters={"threshold_db": THRESHOLD}, changed=lambda proposal: replace(proposal, expected=None),
)  # fmt: skip
