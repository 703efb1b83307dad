"""Numbers behind a check: pairing, settling, straight lines, certificates, drift, maps."""
