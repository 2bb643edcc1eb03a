"""Searches: what is found by SQL alone, and by arrays for the rehearsal."""
