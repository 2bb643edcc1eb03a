"""What a person who comes back asks: where mail goes, what waits, and what to do next."""
