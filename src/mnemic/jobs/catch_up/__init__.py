"""Rules on mail that is here already: catch-ups, the daily run, clearing out, the worker."""
