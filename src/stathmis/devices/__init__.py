"""Live instruments: probes that send lines over a serial port, and simulated stand-ins for them."""
