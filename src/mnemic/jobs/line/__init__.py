"""The line of rules: what a person changes about it, and what the order check finds."""
