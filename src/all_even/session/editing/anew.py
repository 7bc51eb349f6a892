"""That stems of a finished mix are to be mixed anew all the same: said once, kept among what is declined."""

from all_even.session.editing import edits
from all_even.session.model.session import Session

ANEW = "finished:mix-anew"


def mix_anew(session: Session) -> Session:
    """They are taken as tracks from now on."""
    return edits.decline(session, ANEW, "mixed anew")


def is_mixed_anew(session: Session) -> bool:
    return any(item.move_id == ANEW for item in session.declined)
