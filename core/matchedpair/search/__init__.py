"""Searches for settings: the same noise, the least that changes nothing, and ranges of frames."""
