"""Computes: arrays, project, commands. Knows neither Qt nor a graphics card."""

from lucky_fern.core import kinds as kinds  # every kind is known before a document is read
