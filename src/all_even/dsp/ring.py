"""A delay of whole frames in place, by a ring that is gone round again and again."""

from all_even.dsp.processor import inside
from all_even.kernels import kernel


@kernel
def delayed(block, delay, place, ring):  # type: ignore[no-untyped-def]
    """Delays (frames, channels) in place, at most as far as the ring reaches; returns the new place. ring: two numbers
    a frame, also of one channel."""
    delay = min(delay, len(ring) // 2)
    place = inside(place, delay)
    if delay <= 0:
        return place
    frames, channels = block.shape
    done = 0
    while done < frames:
        run = min(frames - done, delay - place)
        part, held = block[done : done + run], ring[2 * place : 2 * (place + run)]
        if channels == 2:
            for i in range(run):
                left, right = part[i, 0], part[i, 1]
                part[i, 0], part[i, 1] = held[2 * i], held[2 * i + 1]
                held[2 * i], held[2 * i + 1] = left, right
        else:
            for i in range(run):
                held[2 * i], part[i, 0] = part[i, 0], held[2 * i]
        done += run
        place = place + run if place + run < delay else 0
    return place
