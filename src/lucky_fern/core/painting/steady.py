"""Steadying a hand: what the pen does, evened out, without a lag at the end of the stroke."""

from __future__ import annotations

from typing import Literal

import numpy as np

from lucky_fern.core.arrays import F64

Steadying = Literal["off", "string", "average"]


class Steady:
    """Takes where the hand is and says where the brush goes, both (2,) in pixels.

    ``string``: the brush is drawn behind the hand on a string ``strength`` pixels long, so small trembling does not
    reach it. ``average``: it goes where the hand was on the mean over the last ``strength`` pixels of its way.
    """

    def __init__(self, kind: Steadying, strength: float) -> None:
        self.kind, self.strength = kind, max(strength, 0.0)
        self._at: F64 | None = None
        self._hand: list[F64] = []

    def push(self, hand: F64) -> list[F64]:
        """The hand went here; the places the brush goes to."""
        hand = np.asarray(hand, np.float64)
        if self._at is None or self.kind == "off" or self.strength <= 0:
            self._at, self._hand = hand, [hand]
            return [hand]
        if self.kind == "string":
            self._hand = [hand]
            pull = hand - self._at
            far = float(np.linalg.norm(pull))
            if far <= self.strength:
                return []
            self._at = self._at + pull * (1 - self.strength / far)
            return [self._at]
        self._hand.append(hand)
        self._at = self._mean()
        return [self._at]

    def finish(self) -> list[F64]:
        """The hand is lifted: the brush catches up, so that the stroke ends where the hand did."""
        if self._at is None or not self._hand:
            return []
        end = self._hand[-1]
        if self.kind == "average":
            made = []
            while len(self._hand) > 1:
                self._hand.pop(0)
                made.append(self._mean())
            return [*made, end]
        return [] if self.kind == "off" else [end]

    def _mean(self) -> F64:
        """The mean over the way that the hand has gone lately."""
        points = np.array(self._hand)
        steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
        back = np.cumsum(steps[::-1])[::-1] if len(steps) else np.zeros(0)
        kept = int((back > self.strength).sum())
        self._hand = self._hand[kept:]
        return np.asarray(np.array(self._hand).mean(axis=0), np.float64)
