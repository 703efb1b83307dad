"""The window. Views listen to the desk and write back through services."""
