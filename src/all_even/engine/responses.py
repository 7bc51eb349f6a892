"""Responses of a session as stations need them: read once, at its rate, with a sentence where they can't be.

A response may be 30 s long, of any rate, of one, two or four channels.
"""

import contextlib
import threading
from collections.abc import Collection
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from all_even.audio import decoded, sound_file
from all_even.audio.content import content_hash
from all_even.dsp.ducking.shaped import Linked
from all_even.dsp.space.convolution import LONGEST_S, Convolution, LoadedResponse, ResponseFile
from all_even.errors import UserError, short_name
from all_even.measure.level.hops import HOP_S
from all_even.session.file import store
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

_Key = tuple[str, int, int, int, int]
"""Path, size, both times of change, rate."""
_REMEMBERED = 32
_read: dict[_Key, LoadedResponse | str] = {}
_lock = threading.Lock()


def linked(session: Session) -> tuple[Linked, ...]:
    """All that stations of a session may be linked to: shapes, and those responses that are used and can be read."""
    if not session.responses:
        return session.shapes
    used = used_responses(session)
    found = [_of(session, item) for item in session.responses if item.id in used]
    return (*session.shapes, *(item for item in found if isinstance(item, LoadedResponse)))


def used_responses(session: Session, strips: Collection[str] | None = None) -> frozenset[str]:
    """Those that stations are linked to; strips: of these strips only, the mix among them."""
    chains = [(strip.id, strip.chain) for strip in session.strips] + [(MIX, session.mix.chain)]
    wanted = [chain for strip_id, chain in chains if strips is None or strip_id in strips]
    return frozenset(item.response for chain in wanted for item in chain if isinstance(item, Convolution))


def content(session: Session, response_id: str) -> str:
    """Which sound a response is; empty where it can't be read."""
    response = next((item for item in session.responses if item.id == response_id), None)
    found = _of(session, response) if response is not None else ""
    return found.content if isinstance(found, LoadedResponse) else ""


def problems(session: Session, wanted: Collection[str] | None = None) -> dict[str, str]:
    """A sentence for each response (of these) that can't be used, by its id."""
    found = {item.id: _of(session, item) for item in session.responses if wanted is None or item.id in wanted}
    return {response_id: item for response_id, item in found.items() if isinstance(item, str)}


def envelope_db(session: Session, response_id: str) -> tuple[NDArray[np.float64] | None, str]:
    """Loudest sample of each 10 ms of a response, dB re its loudest; None with a sentence where it can't be read."""
    response = next((item for item in session.responses if item.id == response_id), None)
    found = _of(session, response) if response is not None else "The response is not there any more."
    if isinstance(found, str):
        return None, found
    peaks = np.abs(found.samples).max(axis=1)
    hop = max(1, round(HOP_S * session.sample_rate))
    most = np.maximum.reduceat(peaks, np.arange(0, len(peaks), hop)) if len(peaks) else peaks
    return 20.0 * np.log10(np.maximum(most, 1e-9) / max(float(most.max(initial=0.0)), 1e-9)), ""


def inspected(path: Path) -> float:
    """The length in s of a file that is to be a response. Raises a UserError with a sentence where it can't be one."""
    info = sound_file.inspect_response(path)
    _check(short_name(path.name), info.channels, info.frames / info.sample_rate)
    return info.frames / info.sample_rate


def _check(name: str, channels: int, length_s: float) -> None:
    if channels not in (1, 2, 4):
        raise UserError(f"{name} has {channels} channels: a response has 1, 2 or 4.")
    if length_s > LONGEST_S:
        raise UserError(f"{name} can't be a response: it is {length_s:.0f} s long, and {LONGEST_S:.0f} s is the most.")


def _of(session: Session, response: ResponseFile) -> LoadedResponse | str:
    """A response as it was read, or a sentence."""
    name = short_name(response.file)
    try:
        path = store.listed_path(session, response.folder, response.file)
    except UserError as error:
        return str(error)
    key: _Key | None = None
    with contextlib.suppress(OSError, ValueError):
        status = path.stat()
        key = (str(path), status.st_size, status.st_mtime_ns, status.st_ctime_ns, session.sample_rate)
    with _lock:
        known = _read.get(key) if key is not None else None
    if known is None:
        known = _loaded(name, path, session.sample_rate)
        with _lock:
            if len(_read) >= _REMEMBERED:
                _read.pop(next(iter(_read)))
            if key is not None:
                _read[key] = known
    if isinstance(known, str):
        return known
    return LoadedResponse(response.id, known.samples, known.content)


def _loaded(name: str, path: Path, sample_rate: int) -> LoadedResponse | str:
    try:
        info = sound_file.inspect_response(path)
        _check(name, info.channels, info.frames / info.sample_rate)
        frames = decoded.open_frames(info, sample_rate, None)
        samples = frames.read(0, frames.frames).astype(np.float64)
        content = content_hash(path)
    except UserError as error:
        return str(error)
    except (OSError, RuntimeError):
        return f"{name} can't be opened: the disk refuses it."
    return LoadedResponse("", samples, f"{content} {sample_rate}")
