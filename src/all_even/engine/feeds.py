"""The gains of an edge: fader, folder groups, pan, send and polarity as one small matrix, at rest or over time."""

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp import pan
from all_even.engine.automation import MovingGains, curve, mute_curve
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import Automation, FolderGroup, Strip

Array = NDArray[np.float64]


def edge_gains(session: Session, strip: Strip, edge: routing.Edge, channels: int) -> Array:
    """(channels, 2) gains of a destination or send, automation left aside."""
    level_db = routing.level_db(session, strip)
    if edge.kind == "send":
        send = strip.sends[edge.index]
        level_db = send.level_db if send.pre_fader else level_db + send.level_db
        if send.level_db <= decibels.OFF_DB:
            level_db = decibels.OFF_DB
    gain = decibels.gain(level_db) * (-1.0 if strip.polarity_inverted else 1.0)
    return gain * pan.matrix(channels, strip.pan, session.pan_law)


def automation_of(fader: Strip | FolderGroup, parameter: str) -> Automation | None:
    """What moves a setting, None where it stands still."""
    return next((item for item in fader.automation if item.parameter == parameter), None)


def moving_gains(session: Session, strip: Strip, edge: routing.Edge, channels: int) -> MovingGains | None:
    """The gains of an edge over time, or None where nothing on it is automated."""
    rate = session.sample_rate
    curves = {item.parameter: curve(item, rate) for item in strip.automation}
    send = strip.sends[edge.index] if edge.kind == "send" else None
    levels, base_db = [], 0.0
    faders: tuple[Strip | FolderGroup, ...] = (strip, *routing.folders_above(session, strip))
    if send is None or not send.pre_fader:
        for fader in faders:
            ride = automation_of(fader, "level_db")
            if ride is not None:
                levels.append(curve(ride, rate))
            else:
                base_db += fader.level_db
        if min(fader.level_db for fader in faders) <= decibels.OFF_DB:
            base_db = decibels.OFF_DB
    if send is not None:
        if f"send:{send.to}" in curves:
            levels.append(curves[f"send:{send.to}"])
        else:
            base_db += send.level_db
    mutes = [mute for fader in faders if (mute := automation_of(fader, "mute")) is not None]
    levels += [mute_curve(mute, rate) for mute in mutes]
    pan_curve = curves.get("pan")
    if not levels and pan_curve is None:
        return None
    return MovingGains(
        channels,
        session.pan_law,
        base_db,
        tuple(levels),
        strip.pan,
        pan_curve,
        -1.0 if strip.polarity_inverted else 1.0,
    )
