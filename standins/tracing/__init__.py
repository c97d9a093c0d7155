"""What every stand-in that follows rays shares: scene files, shapes in arrays, nearest hit, random numbers."""
