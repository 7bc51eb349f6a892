"""Convolution with a long response at once, without latency, in three levels.

The first 256 taps are multiplied directly; those up to 4095 in partitions of 256 frames, all others in partitions of
4096, by fast transforms (overlap-save). At the end of each partition of input its spectrum is kept; what all later
partitions make of the kept spectra is known one partition before it is heard. W. G. Gardner, "Efficient convolution
without input-output delay", JAES 43 (1995), with two sizes. From memory.

Where a whole partition of 4096 frames is there at once, as in a render, its first 4096 taps are one more product of
spectra instead. What the smaller level keeps is filled in afterwards, so that any block may follow.

Everything is written onwards only, by a frame count, so it can lie in a history (`dsp.processor`).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.processor import BEHIND_FRAMES
from all_even.kernels import kernel
from all_even.late import scipy

Array = NDArray[np.float64]

SIZES = (256, 4096)
"""Frames of the partitions of both levels; the first is also the number of taps that are multiplied directly."""
INPUTS = 2


@dataclass(frozen=True, slots=True)
class Layout:
    """Where things lie, for a response of `taps` taps from two inputs to two outputs. counts: partitions of each
    level; the first of them begins where its own size is over."""

    taps: int

    @property
    def counts(self) -> tuple[int, int]:
        small = -(-max(0, min(self.taps, SIZES[1]) - SIZES[0]) // SIZES[0])
        return small, -(-max(0, self.taps - SIZES[1]) // SIZES[1])

    def slots(self, level: int) -> int:
        """Spectra that are kept of each input."""
        return self.counts[level] + BEHIND_FRAMES // SIZES[level] + 3

    def ring(self, level: int) -> int:
        """Frames of each output that are known ahead, and what lies behind."""
        return BEHIND_FRAMES + 3 * SIZES[level]

    @property
    def input_ring(self) -> int:
        return BEHIND_FRAMES + 3 * SIZES[1]

    def history_size(self) -> int:
        rings = INPUTS * self.input_ring
        for level, size in enumerate(SIZES):
            if self.counts[level]:
                rings += INPUTS * self.slots(level) * 2 * (size + 1) + 2 * self.ring(level)
        return rings


def transformed(response: Array) -> Array:
    """All that is multiplied with, in one flat array. response: (4, taps), from left to left, left to right, right to
    left, right to right."""
    layout = Layout(response.shape[1])
    padded = np.zeros(
        (4, SIZES[0] + layout.counts[0] * SIZES[0] if layout.counts[1] == 0 else SIZES[1] * (1 + layout.counts[1]))
    )
    padded[:, : response.shape[1]] = response
    parts = [padded[:, : SIZES[0]].ravel()]
    for count, size in zip(layout.counts, SIZES, strict=True):
        for number in range(count):
            taps = padded[:, size * (1 + number) : size * (2 + number)]
            parts.append(scipy.fft.rfft(taps, 2 * size, axis=1).view(np.float64).ravel())
    if layout.counts[1]:
        parts.append(scipy.fft.rfft(padded[:, : SIZES[1]], 2 * SIZES[1], axis=1).view(np.float64).ravel())
    return np.concatenate(parts)


def convolve(block: Array, response: Array, taps: int, state: Array, history: Array) -> None:
    """Replaces a block of (frames, 2) by its convolution. response: of `transformed`; state: 0 the frame count."""
    layout = Layout(taps)
    inputs = history[: INPUTS * layout.input_ring].reshape(INPUTS, layout.input_ring)
    levels, first = _levels(layout, response[4 * SIZES[0] :], history[inputs.size :])
    head = response[: 4 * SIZES[0]].reshape(4, SIZES[0])
    done = 0
    while done < len(block):
        place = int(state[0]) if 0.0 <= state[0] < 4e15 else 0
        if len(first) and place % SIZES[1] == 0 and done + SIZES[1] <= len(block):
            part = block[done : done + SIZES[1]]
            _whole_partition(part, inputs, levels, first, place)
        else:
            part = block[done : done + min(SIZES[0] - place % SIZES[0], len(block) - done)]
            _enter(part, inputs, place)
            _direct(part, head, inputs, place)
            for level in levels:
                _add_ahead(part, level.ahead, place)
            for level in levels:
                if (place + len(part)) % level.size == 0:
                    level.keep(inputs, place + len(part))
                    level.prepare(place + len(part))
        state[0] = place + len(part)
        done += len(part)


def _whole_partition(
    part: Array, inputs: Array, levels: "list[_Level]", first: NDArray[np.complex128], place: int
) -> None:
    """A partition of the larger level at once. first: (1, 4, bins), what the taps before its own make of it."""
    small, large = levels
    _enter(part, inputs, place)
    end = place + len(part)
    large.keep(inputs, end)
    out = np.zeros((2, large.size + 1), dtype=np.complex128)
    _multiply(large.spectra, first, end // large.size % large.spectra.shape[1], out)
    part[:] = scipy.fft.irfft(out, axis=1)[:, large.size :].T
    _add_ahead(part, large.ahead, place)
    large.prepare(end)
    for at in range(place + small.size, end + 1, small.size):
        small.keep(inputs, at)
    small.prepare(end)


@dataclass(frozen=True, slots=True, eq=False)
class _Level:
    """One size of partitions. responses: (partitions, 4, bins); spectra: (2, slots, bins); ahead: (2, ring)."""

    size: int
    responses: NDArray[np.complex128]
    spectra: NDArray[np.complex128]
    ahead: Array

    def keep(self, inputs: Array, place: int) -> None:
        """At the end of a partition of input: keeps its spectrum."""
        first = (place - 2 * self.size) % inputs.shape[1]
        sound = inputs[:, first : first + 2 * self.size]
        if sound.shape[1] < 2 * self.size:
            sound = np.concatenate((sound, inputs[:, : 2 * self.size - sound.shape[1]]), axis=1)
        self.spectra[:, place // self.size % self.spectra.shape[1]] = scipy.fft.rfft(sound, axis=1)

    def prepare(self, place: int) -> None:
        """Works out what is heard in the partition that begins here, of those before it."""
        out = np.zeros((2, self.size + 1), dtype=np.complex128)
        _multiply(self.spectra, self.responses, place // self.size % self.spectra.shape[1], out)
        heard = scipy.fft.irfft(out, axis=1)[:, self.size :]
        to = place % self.ahead.shape[1]
        at_once = min(self.size, self.ahead.shape[1] - to)
        self.ahead[:, to : to + at_once] = heard[:, :at_once]
        self.ahead[:, : self.size - at_once] = heard[:, at_once:]


def _levels(layout: Layout, response: Array, history: Array) -> tuple[list[_Level], NDArray[np.complex128]]:
    """The levels there are, and the first taps as one partition of the larger one: none where that is missing."""
    found = []
    for level, size in enumerate(SIZES):
        count, slots, ring = layout.counts[level], layout.slots(level), layout.ring(level)
        if not count:
            continue
        numbers = 4 * count * 2 * (size + 1)
        # Partition after partition lie the spectra of all four paths.
        responses = response[:numbers].view(np.complex128).reshape(count, 4, size + 1)
        kept = history[: INPUTS * slots * 2 * (size + 1)]
        ahead = history[len(kept) : len(kept) + 2 * ring].reshape(2, ring)
        found.append(_Level(size, responses, kept.view(np.complex128).reshape(INPUTS, slots, size + 1), ahead))
        response, history = response[numbers:], history[len(kept) + 2 * ring :]
    return found, response.view(np.complex128).reshape(-1, 4, SIZES[1] + 1)


@kernel
def _enter(part, inputs, place):  # type: ignore[no-untyped-def]
    ring = inputs.shape[1]
    for side in range(2):
        to = place % ring
        for i in range(len(part)):
            inputs[side, to] = part[i, side]
            to = to + 1 if to + 1 < ring else 0


@kernel
def _direct(part, head, inputs, place):  # type: ignore[no-untyped-def]
    """The first taps, multiplied, four at a time; replaces the part. Paths of silence cost nothing."""
    frames, taps = len(part), head.shape[1]
    ring = inputs.shape[1]
    sound = np.empty((2, taps + frames))
    for side in range(2):
        read = (place - taps) % ring
        for i in range(taps + frames):
            sound[side, i] = inputs[side, read]
            read = read + 1 if read + 1 < ring else 0
    out = np.empty(frames)
    for to in range(2):
        out[:] = 0.0
        for side in range(2):
            gains = head[2 * side + to]
            if np.any(gains != 0.0):
                for tap in range(0, taps, 4):
                    a, b, c, d = gains[tap], gains[tap + 1], gains[tap + 2], gains[tap + 3]
                    heard = sound[side, taps - tap - 3 :]
                    for i in range(frames):
                        out[i] += a * heard[i + 3] + b * heard[i + 2] + c * heard[i + 1] + d * heard[i]
        for i in range(frames):
            part[i, to] = out[i]


@kernel
def _add_ahead(part, ahead, place):  # type: ignore[no-untyped-def]
    ring = ahead.shape[1]
    for side in range(2):
        read = place % ring
        for i in range(len(part)):
            part[i, side] += ahead[side, read]
            read = read + 1 if read + 1 < ring else 0


@kernel
def sounds(path):  # type: ignore[no-untyped-def]
    """Whether there is anything in a spectrum; most often its first number says so."""
    for value in path:  # noqa: SIM110  # compiled
        if value != 0.0:
            return True
    return False


@kernel
def _multiply(spectra, responses, newest, out):  # type: ignore[no-untyped-def]
    """Adds up what each partition of the response makes of the input that long ago."""
    slots = spectra.shape[1]
    for number in range(len(responses)):
        slot = (newest - number) % slots
        for side in range(2):
            for to in range(2):
                path = responses[number, 2 * side + to]
                if not sounds(path):
                    continue
                sound = spectra[side, slot]
                for bin in range(len(path)):
                    out[to, bin] += path[bin] * sound[bin]
