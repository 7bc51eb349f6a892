"""What stands on the settings page: each setting by its description, with its section and a sentence."""

from dataclasses import dataclass
from typing import Literal

from all_even.app.machine.preferences import Preferences
from all_even.dsp.parameter import Setting
from all_even.dsp.processor import settings
from all_even.session.model.settings import WorkSettings

Owner = Literal["machine", "session"]
SECTIONS = (
    "Levels on the way",
    "Targets",
    "Starting points",
    "Low end",
    "Share",
    "Dynamics",
    "Rides",
    "Priority",
    "Schools",
    "Look",
)


@dataclass(frozen=True, slots=True)
class Topic:
    """key: field of its owner. owner: whose it is: this machine's, or the session's. help: what it is for."""

    key: str
    section: str
    owner: Owner
    setting: Setting
    help: str

    @property
    def name(self) -> str:
        return self.setting.name


def topics() -> list[Topic]:
    """Every setting, in the order of the page."""
    work = [
        Topic(key, WorkSettings.SECTIONS[key], "session", setting, WorkSettings.HELP[key])
        for key, setting in settings(WorkSettings).items()
    ]
    own = [
        Topic(key, Preferences.SECTIONS[key], "machine", setting, Preferences.HELP[key])
        for key, setting in settings(Preferences).items()
    ]
    return sorted([*work, *own], key=lambda topic: SECTIONS.index(topic.section))
