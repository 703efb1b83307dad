"""Instruments, in words."""
