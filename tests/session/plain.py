"""A plain session for tests: some lanes in a folder."""

from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Lane


def session(lanes: int = 3, folder: str = "/music") -> Session:
    return Session(
        name="Slack Water",
        sample_rate=48_000,
        folders=(Folder(path=folder),),
        lanes=tuple(Lane(id=f"lane-{i}", name=f"Track {i}", file=f"{i}.wav") for i in range(lanes)),
    )
