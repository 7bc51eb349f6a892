"""Which rows a typed filter shows: by name, file, role, family, finding or state; all of its words have to fit."""

from all_even.app.lanes.rows import Row
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

STATES = {"muted": "mute", "soloed": "solo", "hidden": "hidden", "inverted": "polarity_inverted"}


def words_of(row: Row) -> str:
    """All that a row can be found by, in small letters."""
    lane = row.lane
    found = [lane.name, lane.role, family_of(lane.role)]
    if isinstance(lane, Lane):
        found.append(lane.file)
        if lane.alternative is not None:
            found.append("candidate alternative")
    found += [word for word, field in STATES.items() if getattr(lane, field, False)]
    for finding in row.findings:
        found += [finding.kind.replace("_", " "), finding.label, finding.severity]
    return " ".join(found).lower()


def fits(row: Row, text: str) -> bool:
    words = text.lower().split()
    return not words or all(word in words_of(row) for word in words)
