"""How large a picture may be, so that it is there in time while a hand moves."""

from __future__ import annotations

TARGET = 0.042  # seconds: with what showing a picture costs, more than twenty a second
SCALES = (1.0, 1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0)  # smaller ones would show nothing, and save little
SMALLEST = 24  # pixels a side
LEARNING = 0.4  # how much the last picture counts against those before
BETTER = 0.7  # a larger size is taken only if it would be this much faster than needed, so that sizes do not flicker


class Pace:
    """Learns what pictures of one kind cost, and says at what part of the full size the next one is in time.

    smallest : the largest part by which it may be smaller, of kinds that cost much whatever the size.
    """

    def __init__(self, seconds_a_pixel: float = 1.5e-6, smallest: float = SCALES[-1]) -> None:
        self._cost, self._scales = seconds_a_pixel, [one for one in SCALES if one <= smallest]
        self._at = len(self._scales) // 2

    def size(self, width: int, height: int) -> tuple[int, int]:
        """The size in pixels of the next picture, for a full size of width x height."""

        def seconds(at: int) -> float:
            return self._cost * width * height / self._scales[at] ** 2

        while self._at < len(self._scales) - 1 and seconds(self._at) > TARGET:
            self._at += 1
        while self._at > 0 and seconds(self._at - 1) < TARGET * BETTER:
            self._at -= 1
        scale = self._scales[self._at]
        return max(round(width / scale), SMALLEST), max(round(height / scale), SMALLEST)

    def took(self, pixels: int, seconds: float) -> None:
        """A picture of so many pixels took so long."""
        self._cost += (seconds / max(pixels, 1) - self._cost) * LEARNING
