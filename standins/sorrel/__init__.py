"""Sorrel: light carried from both ends, along camera paths and by photons from the lights."""
