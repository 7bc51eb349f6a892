"""What a rule or a metric depends on, each as a fingerprint, so that it is known when one of them has changed."""

from collections.abc import Callable

from all_even.figures.book.fingerprint import Fingerprint, digest
from all_even.figures.book.look import Look
from all_even.session.machine import template
from all_even.session.model.session import Session

Dependency = Callable[[Look], object]


def _files(look: Look) -> object:
    """Which sound each lane reads, and whether it is measured."""
    prints = look.book.fingerprints(look.session)
    return [
        (lane.id, lane.file, lane.take, prints.identity(lane.id), look.measures(lane.id) is not None)
        for lane in look.session.lanes
    ]


def _levels(session: Session) -> object:
    strips = [
        (s.id, s.level_db, s.pan, s.mute, s.solo, s.polarity_inverted, s.destination, s.sends, s.group, s.automation)
        for s in session.strips
    ]
    folders = [(g.id, g.level_db, g.mute, g.solo, g.group, g.automation) for g in session.folder_groups]
    clips = [(lane.clip_gain_db, lane.seat_row) for lane in session.lanes]
    return strips, folders, clips, session.mix.trim_db, session.pan_law


def _chains(session: Session) -> object:
    return [(s.id, s.chain) for s in session.strips], session.mix.chain, session.shapes


def _routing(session: Session) -> object:
    strips = [(s.id, s.destination, s.group, s.mute, [(send.to, send.on) for send in s.sends]) for s in session.strips]
    return strips, [(bus.id, bus.use, bus.name) for bus in session.buses]


DEPENDENCIES: dict[str, Dependency] = {
    "files": _files,
    "names": lambda look: [(lane.id, lane.name) for lane in look.session.lanes],
    "order": lambda look: [
        (lane.id, lane.role, lane.hidden, lane.source, lane.own_room, lane.importance) for lane in look.session.lanes
    ],
    "levels": lambda look: _levels(look.session),
    "chains": lambda look: _chains(look.session),
    "routing": lambda look: _routing(look.session),
    "settings": lambda look: (look.session.settings, look.session.anchor),
    "approaches": lambda look: [
        (name, getattr(look.session.approaches, name)) for name in look.session.approaches.chosen
    ],
    "templates": lambda _look: template.known(),
    "strips": lambda look: sorted(look.book.fingerprints(look.session).strips.items()),
    "mix": lambda look: look.book.fingerprints(look.session).mix,
}
"""files, names, order (with roles, what is hidden, priority, and what was said of sources and rooms): of the lanes.
levels, chains, routing (with the buses' names): as they are set. settings: targets, weights, anchor. approaches: those
that are chosen. templates: of this machine. strips: the sound behind each chain. mix: the sound of the mix."""


def fingerprints(look: Look, depends_on: tuple[str, ...]) -> dict[str, Fingerprint]:
    """The fingerprint of each dependency now."""
    return {name: digest((DEPENDENCIES[name](look),)) for name in depends_on}
