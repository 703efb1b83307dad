"""Moisture, in words."""
