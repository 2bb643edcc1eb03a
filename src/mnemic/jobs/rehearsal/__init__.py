"""Rehearsal: what a rule would take and do, told before it is saved."""
