"""The line: rules, their versions, their examples and their work, and catch-ups."""
