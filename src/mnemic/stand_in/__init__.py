"""A simulated mail server on loopback: for the demo, for trying things out, and for tests.

It imports nothing of Mnemic but its settings, and keeps its mail in a folder of its own.
"""
