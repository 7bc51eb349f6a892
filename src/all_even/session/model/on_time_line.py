"""What lies on the time line: tempo and sections as the user has put them right, the loop, notes."""

from typing import Annotated

from msgspec import Meta

from all_even.session.model.values import Name, Seconds, Text, Value


class SectionMark(Value, frozen=True, kw_only=True):
    """Where a section begins, and what it is called."""

    start_s: Seconds
    name: Name


class SongMap(Value, frozen=True, kw_only=True):
    """What the user says about the song's time; None and empty: as it was found.

    tempo_bpm: of a beat. bar_s: where a bar begins. sections: rising in time, the first may begin late.
    """

    tempo_bpm: Annotated[float, Meta(ge=20.0, le=400.0)] | None = None
    bar_s: Seconds | None = None
    beats_per_bar: Annotated[int, Meta(ge=1, le=32)] = 4
    sections: Annotated[tuple[SectionMark, ...], Meta(max_length=1_000)] = ()


class Loop(Value, frozen=True, kw_only=True):
    """A section that repeats while `active`."""

    start_s: Seconds
    end_s: Seconds
    active: bool = False


class Note(Value, frozen=True, kw_only=True):
    """A remark with its place in the song and its date (ISO 8601).

    heard_on: of a fault that was heard elsewhere, where (a car, a phone, another room); it comes back when the session
    is opened, until it is settled. settled: when it was; empty before.
    """

    text: Text
    position_s: Seconds
    written: Name
    heard_on: Name = ""
    settled: Name = ""

    @property
    def is_open(self) -> bool:
        """Whether it is a fault heard elsewhere that nobody has settled."""
        return bool(self.heard_on) and not self.settled
