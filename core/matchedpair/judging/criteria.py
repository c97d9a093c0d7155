"""What a verdict marks when a studio has not made a list of its own."""

CRITERIA = ("Noise", "Shadows", "Highlights", "Colour", "Detail", "Motion", "Ease of setting up")
MOST_CRITERIA = 20
