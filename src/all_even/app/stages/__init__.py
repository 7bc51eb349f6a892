"""The stages as the window shows them: one folder each, by the key of the stage (`all_even.stages`)."""

from all_even.app.stages import balance, buses, check, dynamics, gain, gather, low_end, print_, rides, share, space
from all_even.app.stages.view import StageView

VIEWS: dict[str, StageView] = {
    "gather": gather.VIEW,
    "gain": gain.VIEW,
    "balance": balance.VIEW,
    "low-end": low_end.VIEW,
    "share": share.VIEW,
    "dynamics": dynamics.VIEW,
    "buses": buses.VIEW,
    "space": space.VIEW,
    "rides": rides.VIEW,
    "check": check.VIEW,
    "print": print_.VIEW,
}
