"""Analysis: what can be said of rules before any message comes: their order, and what is risky."""
