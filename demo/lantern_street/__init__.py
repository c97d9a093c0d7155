"""The scenes of *Lantern Street*, a short film in the making (made up)."""
