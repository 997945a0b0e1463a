"""Asking for a measurement, by probe or by hand; what the probe can reach and what stands in its way."""
