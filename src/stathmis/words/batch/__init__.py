"""Batches and profiles, in words."""
