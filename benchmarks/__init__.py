"""What Mnemic costs, as ratios measured side by side in one run: ``make bench``."""
