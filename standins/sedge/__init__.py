"""Sedge: raster-like: shadow maps, and what the screen knows of occlusion and bounce."""
