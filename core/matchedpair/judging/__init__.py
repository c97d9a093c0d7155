"""Blind rounds, criteria of a verdict, and the contact sheet."""
