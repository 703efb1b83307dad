"""The window. Views listen to the workbench and write back through services."""
