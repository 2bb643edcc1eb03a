"""A standing watch: whatever comes in, nothing raises, nothing disagrees, nothing takes long.

Property-based, for a bounded time: `make fuzz`. What it finds becomes a case of the tests.
"""
