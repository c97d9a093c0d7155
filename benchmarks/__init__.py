"""Speed and honesty, as ratios measured side by side in one run. ``make bench`` runs all of them."""
