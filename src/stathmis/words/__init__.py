"""Typed results in the keeper's words: sentences, numbers with their uncertainty, dates. Nothing is worked out here."""
