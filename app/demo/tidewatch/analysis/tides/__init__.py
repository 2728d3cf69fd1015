"""Harmonics of the tide at a gauge."""

from .harmonics import Constituent, height

__all__ = ["Constituent", "height"]
