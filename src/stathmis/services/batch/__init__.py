"""Batches on their courses, and the profiles they follow."""
