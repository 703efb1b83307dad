"""Stathmis: a hatching keeper's bench for instruments, batches and judgement."""

__version__ = "0.1.0"
