"""Demo data and the scripts that make it."""
