"""The heart: metrology, moist air and the profile, in NumPy and SciPy only (no Qt, SQL, files or clock)."""
