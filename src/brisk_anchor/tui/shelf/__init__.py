"""The shelf view: tools, their figures, calibration and lengths."""
