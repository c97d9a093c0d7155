"""Tansy: direct light everywhere, indirect light gathered at few places and interpolated."""
