"""Low end: kick and bass share the bottom, and the duck fits the beat."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.balance import bass_ceiling
    from all_even.moves.buses import kick_and_bass
    from all_even.moves.gather import align, kick_choice
    from all_even.moves.low_end import baked_kick, bottom, click, owner, remarks, rumble, tail, yielding
    from all_even.moves.low_end.bass import (
        bass_home,
        bite,
        even_notes,
        harmonics,
        hiss,
        notes_of_bass,
        single_notes,
        sub_octave,
    )
    from all_even.moves.low_end.clearing import dynamic_clearing, static_clearing, use_room
    from all_even.moves.low_end.ducks import duck, pauses

    parts = (
        owner, tail, duck, dynamic_clearing, static_clearing, bass_home, baked_kick, single_notes, even_notes, rumble,
        harmonics, sub_octave, click, pauses, yielding, bite, hiss, use_room,
    )  # fmt: skip
    own = (owner, tail, rumble, harmonics, sub_octave, click, baked_kick, pauses, hiss, bass_home)
    return Moves(
        tuple(part.KIND for part in parts),
        (bottom.ROOM, notes_of_bass.SPREAD, *(part.METRIC for part in own)),
        also=(align.KIND, kick_choice.KIND, bass_ceiling.KIND, kick_and_bass.KIND),
        remarks=remarks.remarks,
    )


STAGE = Stage(
    key="low-end",
    name="Low end",
    tip="kick and bass share the bottom, the duck fits the beat",
    does="Shows what every track has under 250 Hz, decides who owns it, clears room and fits the duck.",
    empty="Nothing to gain here: kick and bass leave each other room.",
    moves=_moves,
    depends_on=("files", "order", "levels", "strips", "routing"),
    lazy=True,
)
