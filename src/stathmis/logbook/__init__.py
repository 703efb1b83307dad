"""The logbook: one SQLite file, and the only place that knows SQL."""
