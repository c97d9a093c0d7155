"""Alder: path tracing with light sampling at every bounce."""
