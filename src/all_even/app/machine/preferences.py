"""What is set for this machine: look, output, and what new sessions begin with. Each setting is described once, like a
processor's; the settings page, the finder and the file are made from that."""

import contextlib
from typing import Annotated, ClassVar, Literal

import msgspec
from msgspec import Meta, structs

from all_even import outputs, places
from all_even.dsp.pan import PanLaw
from all_even.dsp.processor import Described, named
from all_even.errors import UserError
from all_even.session.model.approaches import Approaches
from all_even.session.model.session import Session
from all_even.session.model.settings import WorkSettings

FILE = "preferences.json"
PERCENT = {"100 %": 1.0, "115 %": 1.15, "130 %": 1.3, "150 %": 1.5, "200 %": 2.0}
Size = Literal["100 %", "115 %", "130 %", "150 %", "200 %"]
Text = Annotated[str, Meta(max_length=400)]


class Preferences(Described, frozen=True, kw_only=True):
    """theme, size, pan_law: shown on the settings page. output, output_name, buffer_frames: of the Play menu.
    work, approaches: what new sessions are worked to."""

    SECTIONS: ClassVar[dict[str, str]] = {"theme": "Look", "size": "Look", "pan_law": "Schools"}
    HELP: ClassVar[dict[str, str]] = {
        "theme": "Colours of the window.",
        "size": "Of text and everything else; holds from the next start on.",
        "pan_law": "How much lower a mono track stands in the centre. New sessions begin with it.",
    }

    theme: Annotated[Literal["day", "night"], named("Day or night")] = "day"
    size: Annotated[Size, named("Size of text")] = "100 %"
    pan_law: Annotated[PanLaw, named("Pan law of new sessions")] = "-3 dB"
    work: WorkSettings = WorkSettings()
    approaches: Approaches = Approaches()
    output: Text = ""
    output_name: Text = ""
    buffer_frames: Annotated[int, Meta(ge=0, le=1 << 16)] = 0

    def begin(self, session: Session) -> Session:
        """A new session with what is set for all of them."""
        return structs.replace(session, pan_law=self.pan_law, settings=self.work, approaches=self.approaches)


def load() -> Preferences:
    """What was kept; the usual settings where nothing was, or where it can't be read."""
    try:
        return msgspec.json.decode((places.data_folder("") / FILE).read_bytes(), type=Preferences)
    except (OSError, UserError, msgspec.MsgspecError, UnicodeError):
        return Preferences()


def keep(preferences: Preferences) -> None:
    """For the next start; a disk that refuses costs no more than that."""
    content = msgspec.json.format(msgspec.json.encode(preferences))
    with contextlib.suppress(OSError, UserError):
        outputs.write_whole(places.data_folder("") / FILE, content)
