"""Low end: kick and bass share the bottom, and the duck fits the beat."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.approaches import bass_tone, figures, kick_tone, pocket, retuned, thicken
    from all_even.moves.balance import bass_ceiling
    from all_even.moves.buses import kick_and_bass
    from all_even.moves.gather import align, kick_choice
    from all_even.moves.low_end import answer, baked_kick, bottom, click, fader, owner, remarks, rumble, tail, yielding
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
        fader,
    )  # fmt: skip
    own = (owner, tail, rumble, harmonics, sub_octave, click, baked_kick, pauses, hiss, bass_home)
    return Moves(
        answer.answer,
        (
            *(part.KIND for part in parts),
            duck.ANYWAY,
            dynamic_clearing.ANYWAY,
            fader.ANYWAY,
            *pocket.KINDS,
            *bass_tone.KINDS,
            *thicken.KINDS,
            *kick_tone.KINDS,
            retuned.KIND,
        ),
        (bottom.ROOM, notes_of_bass.SPREAD, *(part.METRIC for part in own), *figures.METRICS, retuned.METRIC),
        also=(align.KIND, kick_choice.KIND, bass_ceiling.KICK, kick_and_bass.KIND),
        remarks=remarks.remarks,
    )


STAGE = Stage(
    key="low-end",
    name="Low end",
    tip="kick and bass share the bottom, the duck fits the beat",
    does="Shows what every track has under 250 Hz, decides who owns it, clears room and fits the duck.",
    empty="Every way to duck can be heard and used on the bench.",
    moves=_moves,
    depends_on=("files", "order", "levels", "strips", "routing"),
    lazy=True,
)
