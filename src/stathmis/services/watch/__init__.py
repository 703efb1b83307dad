"""What looks out by itself: live probes, watched folders, alarms."""
