"""Texts: the one form in which they are compared, and the tests that compare them."""
