"""Predicting the water level from its harmonic constituents."""

from dataclasses import dataclass
from math import cos, radians


@dataclass(frozen=True)
class Constituent:
    """One harmonic: amplitude in metres, speed in degrees an hour, phase in degrees."""

    name: str
    amplitude: float
    speed: float
    phase: float


def height(constituents, hours):
    """The height of water above its mean, in metres, so many hours after the epoch."""
    return sum(c.amplitude * cos(radians(c.speed * hours - c.phase)) for c in constituents)
