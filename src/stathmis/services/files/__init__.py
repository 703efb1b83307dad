"""Files in and out: loggers, exports, the whole logbook."""
