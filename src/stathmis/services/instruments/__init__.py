"""Instruments: checking them, comparing them, following their drift, and what they say about an incubator's places."""
