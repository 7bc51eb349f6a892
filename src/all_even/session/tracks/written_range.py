"""Sounding ranges of instruments, by role: for orientation on a ruler, never a rule.

As orchestration handbooks give them for good players (for instance S. Adler, "The Study of Orchestration", tables of
ranges; from memory), sounding pitch, MIDI numbers; electric and folk instruments by their usual tuning and frets.
"""

RANGES: dict[str, tuple[int, int]] = {
    "bass": (28, 67), "bass DI": (28, 67), "bass amplifier": (28, 67), "double bass": (28, 67), "synth bass": (24, 60),
    "sub bass": (24, 55), "electric guitar": (40, 86), "acoustic guitar": (40, 83), "mandolin": (55, 93),
    "banjo": (48, 84), "ukulele": (60, 81), "piano": (21, 108), "electric piano": (28, 100), "organ": (36, 96),
    "harmonium": (41, 89), "accordion": (41, 93), "violin": (55, 100), "viola": (48, 91), "cello": (36, 76),
    "strings": (36, 100), "flute": (60, 96), "clarinet": (50, 91), "bass clarinet": (37, 77), "oboe": (58, 91),
    "saxophone": (44, 81), "baritone saxophone": (36, 69), "trumpet": (52, 82), "horn": (34, 77), "trombone": (40, 72),
    "bass trombone": (34, 67), "tuba": (28, 58), "lead voice": (40, 84), "voice": (40, 84), "backing voice": (40, 84),
    "scratch voice": (40, 84),
}  # fmt: skip


def range_hz(role: str) -> tuple[float, float] | None:
    """Lowest and highest fundamental of a role, Hz at A4 = 440; None where none is usual."""
    found = RANGES.get(role)
    return None if found is None else (hertz(found[0]), hertz(found[1]))


def hertz(midi: float) -> float:
    return float(440.0 * 2.0 ** ((midi - 69.0) / 12.0))
