"""Fields: numbers 0–1 at every place and time."""
